// The stage of a step: a package in its frame, film or sound (a document: pages.js). What counts is decided by the server.
const stage = document.querySelector("[data-player]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

const refresh = () =>
  stage.dataset.outcome && window.htmx.ajax("GET", stage.dataset.outcome, { target: "#outcome", swap: "outerHTML" });

const trouble = (text) => {
  for (const place of document.querySelectorAll("[data-report-trouble]")) { place.textContent = text ?? ""; place.hidden = !text; }
};

let wasDone = document.querySelector("#outcome .done-note") !== null;

// A report that the line has swallowed is waited for no longer, in milliseconds.
const PATIENCE = 20000;

// Who only tries a module reports nothing: there is no address to report to. What the server makes of it, or why it does not.
const report = async (what, leaving = false) => {
  if (!stage.dataset.report) return true;
  try {
    const answer = await fetch(stage.dataset.report, {
      method: "POST",
      // What is on its way when one leaves arrives all the same; what never arrives is told again.
      keepalive: true,
      signal: AbortSignal.timeout(PATIENCE),
      headers: { "Content-Type": "application/json", "X-CSRFToken": csrf },
      body: JSON.stringify(what),
    });
    if (leaving) return answer.ok;
    const said = await answer.json();
    if (!answer.ok) { trouble(said.says); return false; }
    trouble("");
    for (const bar of document.querySelectorAll("[data-share]")) bar.value = said.share;
    for (const text of document.querySelectorAll("[data-share-text]")) text.textContent = said.share;
    if (said.done && !wasDone) { wasDone = true; refresh(); }
    document.dispatchEvent(new CustomEvent("reported", { detail: said }));
    return true;
  } catch {
    trouble("Nothing could be sent just now. It is tried again; what you have seen meanwhile is counted then.");
    return false;
  }
};
stage.report = report;

// A package tells that something was saved; what it comes to is asked of the server, never taken from the message.
const frame = document.querySelector("[data-frame]");
if (frame) {
  let waiting;
  let goesOn = false;
  window.addEventListener("message", (event) => {
    if (event.source !== frame.contentWindow || event.origin !== frame.dataset.origin) return;
    clearTimeout(waiting);
    // A package that asks to go on is taken to the next part, once the server says that there is one.
    if (event.data?.type === "next") goesOn = true;
    waiting = setTimeout(async () => {
      await refresh();
      const next = document.querySelector("#parts[data-next]")?.dataset.next;
      if (goesOn && next) location.search = next;
      goesOn = false;
    }, 300);
  });
}

// Film and sound: the stretches that were really played, time after time, in media time: each ends where one jumps, pauses or
// reports. The browser's own account of what was played has no times, but misses nothing: a busy page's gaps are filled from it.
const film = document.querySelector("[data-film]");
if (film) {
  // The server takes so many stretches at once.
  const MOST = 400;
  // Played and not told yet; told; where the stretch under way began, and how far it was seen to come.
  let fresh = [];
  const told = [];
  let from = null;
  let last = 0;
  let since = null;
  let lived = 0;

  const played = () => Array.from({ length: film.played.length }, (_, n) => [film.played.start(n), film.played.end(n)]);
  const close = (to) => {
    if (from !== null && to > from) {
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
  const live = () => {
    if (since !== null) lived += (Date.now() - since) / 1000;
    since = film.paused ? null : Date.now();
  };
  const tell = async (leaving) => {
    // Before its data is there a film stands at 0, which is not where one stopped.
    if (!film.readyState) return;
    live();
    if (from !== null && !film.seeking) {
      const here = film.currentTime;
      close(here);
      if (!film.paused) from = last = here;
    }
    fresh.push(...missed());
    if (!fresh.length && !leaving) return;
    const news = fresh.splice(0, MOST);
    const seconds = Math.round(lived);
    lived -= seconds;
    told.push(...news);
    if (await report({ played: news, at: film.currentTime, seconds }, leaving)) return;
    // Told once more with the next report.
    told.splice(told.indexOf(news[0]), news.length);
    fresh = [...news, ...fresh];
    lived += seconds;
  };
  // One after the other: a report that overtakes the one before it would say where one is while a stretch is still under way.
  let line = Promise.resolve();
  const send = (leaving) => (leaving ? tell(true) : (line = line.then(() => tell(false))));

  film.addEventListener("loadedmetadata", () => {
    const at = Number(film.dataset.at);
    if (at > 0 && at < film.duration - 1) film.currentTime = at;
  }, { once: true });
  film.addEventListener("playing", live);
  for (const kind of ["pause", "ended"]) film.addEventListener(kind, () => send(false));
  setInterval(() => send(false), 5000);
  window.addEventListener("pagehide", () => send(true));
}
