// The player around whatever is on its stage: what is reported, what was said and noted, keys. What counts is decided by the
// server. film.js, pages.js and packages play; they tell where one is (stage.where) and go where one is sent (stage.go).
const stage = document.querySelector("[data-player]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

const refresh = () =>
  stage.dataset.outcome && window.htmx.ajax("GET", stage.dataset.outcome, { target: "#outcome", swap: "outerHTML" });

const trouble = (text) => {
  for (const place of document.querySelectorAll("[data-report-trouble]")) { place.textContent = text ?? ""; place.hidden = !text; }
};

let wasDone = document.querySelector("#outcome .done-note") !== null;

// --- what is reported, kept in the browser until the server has it
// A report that the line has swallowed is waited for no longer, in milliseconds.
const PATIENCE = 20000;
const AGAIN = 5000;
// What was kept for longer is of no use to anybody.
const KEPT = 7 * 24 * 3600 * 1000;
// The server takes so many stretches or pages at once, and so many seconds.
const MOST = 400;
const MOST_SECONDS = 600;

const shelf = `report:${stage.dataset.attempt}:`;
const memory = new Map();
// One entry a report, so that two tabs never write over each other; where the browser keeps nothing, this page does.
const store = {
  put: (name, item) => { memory.set(name, item); try { localStorage.setItem(shelf + name, JSON.stringify(item)); } catch { /* memory has it */ } },
  drop: (name) => { memory.delete(name); try { localStorage.removeItem(shelf + name); } catch { /* it was in memory alone */ } },
  all: () => {
    const found = new Map(memory);
    try {
      for (let n = 0; n < localStorage.length; n += 1) {
        const key = localStorage.key(n);
        if (key.startsWith(shelf)) found.set(key.slice(shelf.length), JSON.parse(localStorage.getItem(key)));
      }
    } catch { /* what this page itself reported is still there */ }
    return [...found].filter(([, item]) => item?.body).sort(([, a], [, b]) => a.at - b.at);
  },
};

const post = (body) => fetch(stage.dataset.report, {
  method: "POST",
  // What is on its way when one leaves arrives all the same; what never arrives is told again.
  keepalive: true,
  signal: AbortSignal.timeout(PATIENCE),
  headers: { "Content-Type": "application/json", "X-CSRFToken": csrf },
  body: JSON.stringify(body),
});

const heard = (said) => {
  trouble("");
  for (const text of document.querySelectorAll("[data-share-text]")) text.textContent = said.share;
  for (const kept of document.querySelectorAll("[data-kept]")) kept.textContent = `kept ${said.kept}`;
  for (const [n, bar] of document.querySelectorAll("[data-bar]").entries()) bar.classList.toggle("is-thick", said.strip?.[n] === "1");
  for (const words of document.querySelectorAll("[data-strip-words]")) if (said.words) words.textContent = said.words;
  if (said.done && !wasDone) { wasDone = true; refresh(); }
  document.dispatchEvent(new CustomEvent("reported", { detail: said }));
};

// Which report is on its way; it is not added to any more.
let underWay = null;
const sendOne = async (name, item) => {
  if (Date.now() - item.at > KEPT) { store.drop(name); return true; }
  underWay = name;
  try {
    const answer = await post({ ...item.body, ago: Math.max(0, Math.round((Date.now() - (item.ended ?? item.at)) / 1000)) });
    const said = await answer.json();
    if (answer.ok) { store.drop(name); heard(said); return true; }
    trouble(said.says);
    // What there is no room for yet is told again; what is refused for good is not.
    if (said.again) return false;
    store.drop(name);
    return true;
  } catch {
    trouble("Nothing could be sent just now. What you see meanwhile is kept in this browser and counted when the line is back.");
    return false;
  } finally { underWay = null; }
};

// One after the other: a report that overtakes the one before it would say where one is while a stretch is still under way.
let isSending = false;
const flush = async () => {
  if (isSending) return;
  isSending = true;
  try {
    // Asked anew each time: while one was on its way others came, or grew.
    for (let [next] = store.all(); next; [next] = store.all()) if (!(await sendOne(...next))) break;
  } finally { isSending = false; }
};

const merged = (a, b) => {
  // An answer is judged by itself, in its turn.
  if ("answer" in a || "answer" in b) return null;
  const list = ["played", "pages", "seen"].find((name) => name in a);
  if (!(list in b) || a[list].length + b[list].length > MOST || a.seconds + b.seconds > MOST_SECONDS) return null;
  return { ...a, [list]: [...a[list], ...b[list]], at: b.at, seconds: a.seconds + b.seconds };
};

stage.report = (what, leaving = false) => {
  // Who only tries a module reports nothing: there is no address to report to.
  if (!stage.dataset.report) return;
  // What could not be sent grows by what comes after it, so that an hour without a line is told in a few words.
  const last = store.all().at(-1);
  const grown = last && memory.has(last[0]) && last[0] !== underWay && merged(last[1].body, what);
  if (grown) store.put(last[0], { at: last[1].at, ended: Date.now(), body: grown });
  else {
    const name = Math.random().toString(36).slice(2, 10);
    store.put(name, { at: Date.now(), ended: Date.now(), body: { ...what, name } });
  }
  if (!leaving) { flush(); return; }
  // Nobody is there to hear the answer: what is still on the shelf is told again by the next page, and counted once.
  for (const [, item] of store.all().slice(-3)) post(item.body).catch(() => {});
};
if (stage.dataset.report) {
  flush();
  setInterval(() => { if (store.all().length) flush(); }, AGAIN);
  window.addEventListener("online", flush);
}

// --- a package tells that something was saved; what it comes to is asked of the server, never taken from the message
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
  const part = Number(frame.dataset.part || 0) + 1;
  stage.where = () => ({ place: part, words: frame.dataset.partWords || "" });
  stage.go = (place) => { if (Math.round(place) !== part) location.search = `?part=${Math.round(place) - 1}`; };
}

// --- what is said and noted
const here = () => (stage.where ? stage.where() : { place: 0, words: "" });
stage.follow = () => {
  const { place, words } = here();
  const note = document.querySelector("[data-note]");
  if (note) note.placeholder = words ? `A note at ${words}. Only you see it.` : "A note. Only you see it.";
  const lines = [...document.querySelectorAll("[data-lines] .is-said")];
  const now = lines.filter((line) => Number(line.dataset.place) <= place).at(-1);
  for (const line of lines) {
    if (line === now && !line.classList.contains("on")) {
      const list = line.parentElement;
      list.scrollTo({ top: line.offsetTop - list.offsetTop - list.clientHeight / 3 });
    }
    line.classList.toggle("on", line === now);
  }
};
document.addEventListener("focusin", (event) => {
  if (event.target.matches("[data-note]")) document.querySelector("[data-note-place]").value = String(here().place);
});
document.addEventListener("click", (event) => {
  const go = event.target.closest("[data-go]");
  if (go && stage.go) stage.go(Number(go.dataset.go));
  const words = event.target.closest("[data-words]");
  if (words) {
    const off = document.querySelector("[data-said]").classList.toggle("has-no-words");
    words.setAttribute("aria-pressed", String(!off));
    words.textContent = off ? "words on" : "words off";
  }
});
document.body.addEventListener("htmx:afterSwap", () => {
  document.dispatchEvent(new CustomEvent("noted"));
  stage.follow();
});

// --- keys, never inside a field; off where the settings say so
stage.isFree = (event) => !(event.ctrlKey || event.metaKey || event.altKey || document.body.hasAttribute("data-no-keys")
  || event.target.closest("input, textarea, select, [contenteditable], dialog[open]"));
document.addEventListener("keydown", (event) => {
  if (!stage.isFree(event) || event.key.toLowerCase() !== "n") return;
  const note = document.querySelector("[data-note]");
  if (note) { event.preventDefault(); note.focus(); }
});
document.addEventListener("click", (event) => {
  const full = event.target.closest("[data-full]");
  const wide = full && document.querySelector("[data-film-frame], [data-box]");
  if (wide?.requestFullscreen) wide.requestFullscreen();
});
stage.follow();
