// Film and sound: controls, the strip, and the stretches that were really played, time after time, in media time: each ends
// where one jumps, pauses or reports. The browser's own account of what was played has no times, but misses nothing: a busy
// page's gaps are filled from it.
const stage = document.querySelector("[data-player]");
const film = document.querySelector("[data-film]");
const find = (name) => document.querySelector(`[data-${name}]`);
const MOST = 400;

// --- what was played
// Played and not told yet; told; where the stretch under way began, and how far it was seen to come.
let fresh = [];
const told = [];
let from = null;
let last = 0;
// Seconds that were lived: what was played by its speed.
let lived = 0;

const played = () => Array.from({ length: film.played.length }, (_, n) => [film.played.start(n), film.played.end(n)]);
const close = (to) => {
  if (from !== null && to > from) {
    lived += (to - from) / (film.playbackRate || 1);
    // What goes on where the last one ended is the same stretch.
    if (fresh.length && fresh.at(-1)[1] === from) fresh[fresh.length - 1] = [fresh.at(-1)[0], to];
    else fresh.push([from, to]);
  }
  from = null;
};
// Parts of what the browser says was played that no stretch has.
const missed = () => {
  let left = played();
  for (const [start, end] of [...told, ...fresh]) {
    left = left.flatMap(([a, b]) => [[a, Math.min(b, start)], [Math.max(a, end), b]].filter(([x, y]) => y - x > 0.01));
  }
  return left;
};
film.addEventListener("timeupdate", () => {
  if (film.seeking || film.paused) return;
  if (from === null) from = last = film.currentTime;
  last = film.currentTime;
});
film.addEventListener("playing", () => { if (from === null) from = last = film.currentTime; });
film.addEventListener("seeking", () => close(last));
const tell = (leaving = false) => {
  // Before its data is there a film stands at 0, which is not where one stopped.
  if (!film.readyState) return;
  // While it jumps, where it stands is where it jumps to.
  if (film.seeking) close(last);
  else if (from !== null) {
    const here = film.currentTime;
    close(here);
    if (!film.paused) from = last = here;
  }
  fresh.push(...missed());
  if (!fresh.length && !leaving) return;
  const seconds = Math.round(lived * 10) / 10;
  lived = 0;
  while (fresh.length > MOST) { const some = fresh.splice(0, MOST); told.push(...some); stage.report({ played: some, at: film.currentTime, seconds: 0 }); }
  const news = fresh.splice(0);
  told.push(...news);
  stage.report({ played: news, at: film.currentTime, seconds }, leaving);
};
film.addEventListener("loadedmetadata", () => {
  const at = Number(film.dataset.at);
  if (at > 0 && at < film.duration - 1) film.currentTime = at;
}, { once: true });
// What was played before the speed changes was played at the old one.
film.addEventListener("ratechange", () => { if (from !== null && !film.seeking) { close(film.currentTime); from = last = film.currentTime; } });
for (const kind of ["pause", "ended"]) film.addEventListener(kind, () => tell());
setInterval(tell, 5000);
window.addEventListener("pagehide", () => tell(true));

// --- controls: the browser's own go once ours are there
const two = (n) => String(n).padStart(2, "0");
const time = (seconds) => {
  const s = Math.floor(seconds);
  const hours = Math.floor(s / 3600);
  return hours ? `${hours}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}` : `${Math.floor(s / 60)}:${two(s % 60)}`;
};
const isFilm = film.tagName === "VIDEO";
const play = find("play");
const where = find("where");
find("controls").hidden = false;
film.controls = false;
// Over the whole screen there is nothing but the film, so its own controls are back.
document.addEventListener("fullscreenchange", () => { film.controls = document.fullscreenElement !== null; });

const show = () => {
  find("now").textContent = time(film.currentTime);
  where.value = String(Math.round(film.currentTime));
  where.setAttribute("aria-valuetext", `${time(film.currentTime)} of ${time(film.duration || 0)}`);
  const share = film.duration ? film.currentTime / film.duration : 0;
  find("cursor").setAttribute("transform", `translate(${(700 * share).toFixed(1)} 0)`);
  stage.follow();
};
for (const kind of ["timeupdate", "seeked", "loadedmetadata"]) film.addEventListener(kind, show);
for (const kind of ["play", "pause", "ended"]) film.addEventListener(kind, () => { play.textContent = film.paused ? "Play" : "Pause"; });

const toggle = () => (film.paused ? film.play().catch(() => {}) : film.pause());
const jump = (seconds) => { film.currentTime = Math.max(0, Math.min(film.duration || 0, film.currentTime + seconds)); };
play.addEventListener("click", toggle);
film.addEventListener("click", () => { if (!film.controls) toggle(); });
where.addEventListener("input", () => { film.currentTime = Number(where.value); });
for (const button of document.querySelectorAll("[data-skip]")) button.addEventListener("click", () => jump(Number(button.dataset.skip)));
find("speed").addEventListener("change", (event) => { film.playbackRate = Number(event.target.value); });

const captions = find("captions");
const words = isFilm ? film.textTracks[0] : undefined;
const caption = (on) => {
  if (!words) return;
  words.mode = on ? "showing" : "hidden";
  captions.textContent = on ? "Captions off" : "Captions on";
};
caption(true);
captions?.addEventListener("click", () => caption(words.mode !== "showing"));

film.addEventListener("error", () => {
  const trouble = find("film-trouble");
  trouble.textContent = "Your browser could not play this. Open it in another one, or tell whoever keeps the course: "
    + `${film.error?.message || "nothing more is known"}.`;
  trouble.hidden = false;
});

// --- just what is missing: from gap to gap, then it stops
const missing = find("missing");
let gaps = [];
missing?.addEventListener("click", () => {
  gaps = JSON.parse(missing.dataset.missing).filter(([start, end]) => end - start > 0.2);
  if (!gaps.length) return;
  film.currentTime = gaps[0][0];
  film.play().catch(() => {});
});
film.addEventListener("timeupdate", () => {
  if (!gaps.length || film.seeking || film.currentTime < gaps[0][1]) return;
  gaps.shift();
  if (gaps.length) film.currentTime = gaps[0][0];
  else if (film.currentTime < film.duration - 0.5) film.pause();
});
where.addEventListener("input", () => { gaps = []; });
document.addEventListener("reported", (event) => {
  if (!missing || !event.detail.missing) return;
  missing.dataset.missing = JSON.stringify(event.detail.missing);
  missing.hidden = event.detail.missing.length === 0;
});

// --- where one is, for notes and for the words beside
stage.where = () => ({ place: Math.floor(film.currentTime * 10) / 10, words: time(film.currentTime) });
stage.go = (place) => { gaps = []; film.currentTime = place; film.play().catch(() => {}); };
const mark = () => {
  const marks = find("noted");
  if (!marks || !film.duration) return;
  marks.replaceChildren(...[...document.querySelectorAll(".is-note[data-place]")].map((note) => {
    const drawn = document.createElementNS("http://www.w3.org/2000/svg", "path");
    drawn.setAttribute("d", `M${((700 * Number(note.dataset.place)) / film.duration).toFixed(1)} 27l-4 5h8z`);
    return drawn;
  }));
};
document.addEventListener("noted", mark);

document.addEventListener("keydown", (event) => {
  if (!stage.isFree(event)) return;
  const key = event.key.toLowerCase();
  // A button that one stands on is pressed by the same key.
  if (key === " " && !event.target.closest("button, a, summary")) { event.preventDefault(); toggle(); }
  else if (key === "arrowleft" || key === "arrowright") { event.preventDefault(); jump(key === "arrowleft" ? -10 : 10); }
  else if (key === "c" && words) caption(words.mode !== "showing");
  else if (key === "f") find("full")?.click();
});
if (film.readyState) { show(); mark(); }
