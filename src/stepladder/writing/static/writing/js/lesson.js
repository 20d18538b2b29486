// A lesson being read: which blocks were in view for a second, the time that passed, checks answered. What counts is decided by
// the server; who only tries a lesson reports nothing, and answers are judged all the same.
import { given, isNothing, restore } from "./answers.js";

const stage = document.querySelector("[data-player]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const IN_VIEW = 0.5;
const LONG_ENOUGH = 1000;
const IDLE = 300000;
const lesson = () => document.querySelector("[data-lesson]");

const seen = new Set();
const waits = new Map();
let pending = [];
let openSince = Date.now();
let happened = Date.now();
const at = () => Number(document.querySelector("[data-section][data-number]")?.dataset.number ?? 1);

// --- in view
const count = (block) => {
  waits.delete(block);
  if (document.hidden || seen.has(block.dataset.block)) return;
  seen.add(block.dataset.block);
  pending.push(block.dataset.block);
  send();
};
const look = () => {
  for (const block of document.querySelectorAll("[data-lesson] [data-block]")) {
    if (seen.has(block.dataset.block)) continue;
    const box = block.getBoundingClientRect();
    const shown = Math.min(box.bottom, window.innerHeight) - Math.max(box.top, 0);
    const isIn = shown > 0 && shown >= Math.min(box.height, window.innerHeight) * IN_VIEW && !document.hidden;
    if (isIn && !waits.has(block)) waits.set(block, setTimeout(count, LONG_ENOUGH, block));
    if (!isIn && waits.has(block)) { clearTimeout(waits.get(block)); waits.delete(block); }
  }
};
let isComing = false;
const soon = () => {
  if (isComing) return;
  isComing = true;
  requestAnimationFrame(() => { isComing = false; look(); });
};

// --- told
function send(leaving = false) {
  if (!stage?.report) return;
  const until = Math.min(Date.now(), happened + IDLE);
  const spent = document.hidden && !leaving ? 0 : Math.min(Math.max(0, Math.round((until - openSince) / 100) / 10), 600);
  if (!pending.length && !leaving && spent < 60) return;
  const news = pending;
  pending = [];
  openSince = Date.now();
  stage.report({ seen: news, at: at(), seconds: spent }, leaving);
}
const begin = () => {
  for (const kind of ["pointermove", "keydown", "scroll", "touchstart", "wheel"]) {
    document.addEventListener(kind, () => {
      const moment = Date.now();
      // Whoever comes back after being away begins anew.
      if (moment - happened > IDLE && !document.hidden) { send(true); openSince = moment; }
      happened = moment;
    }, { passive: true, capture: true });
  }
  window.addEventListener("scroll", soon, { passive: true });
  window.addEventListener("resize", soon);
  // What is folded out, or came later, moves what is below it.
  document.addEventListener("toggle", soon, true);
  new ResizeObserver(soon).observe(document.body);
  document.addEventListener("visibilitychange", () => {
    if (document.hidden) { for (const timer of waits.values()) clearTimeout(timer); waits.clear(); send(true); }
    else { openSince = Date.now(); look(); }
  });
  window.addEventListener("pagehide", () => send(true));
  setInterval(send, 5000);
  look();
};

// --- checks
const say = (name, html) => {
  for (const form of document.querySelectorAll(`[data-check="${CSS.escape(name)}"]`)) form.querySelector("[data-told]").innerHTML = html;
};
const words = (form, text) => {
  const line = document.createElement("p");
  line.className = "small muted";
  line.textContent = text;
  form.querySelector("[data-told]").replaceChildren(line);
};
const tried = async (form, answer) => {
  try {
    const said = await fetch(lesson().dataset.try, {
      method: "POST", headers: { "Content-Type": "application/json", "X-CSRFToken": csrf },
      body: JSON.stringify({ check: form.dataset.check, given: answer }),
    });
    const told = await said.json();
    if (said.ok) say(told.check.name, told.check.said);
    else words(form, told.says);
  } catch { words(form, "Nothing could be sent just now. Answer again once the line is back."); }
};
const takesAnswers = (within = document) => {
  restore(within);
  for (const button of within.querySelectorAll("[data-check] [data-answers]")) button.disabled = false;
};
document.addEventListener("submit", (event) => {
  const form = event.target.closest("[data-lesson] [data-check]");
  if (!form) return;
  event.preventDefault();
  const answer = given(form);
  if (isNothing(answer)) { words(form, "Choose or write an answer first."); return; }
  if (lesson().dataset.try) { tried(form, answer); return; }
  words(form, "Being looked at …");
  // Whoever answers has it before them.
  const news = pending;
  pending = [];
  stage.report({ seen: news, at: at(), seconds: 0, answer: { check: form.dataset.check, given: answer } });
});
document.addEventListener("click", (event) => {
  const hint = event.target.closest("[data-hint]");
  if (hint) hint.closest("form").querySelector("[data-hint-text]").hidden = false;
});
// --- what a report has opened
document.addEventListener("reported", async (event) => {
  const { sections, open, check } = event.detail;
  if (check) say(check.name, check.said);
  if (!sections) return;
  const next = document.querySelector("[data-next]");
  if (next && open.includes(next.dataset.next) && next.hidden) {
    next.hidden = false;
    document.querySelector("[data-waits]").hidden = true;
  }
  const list = document.querySelector("#lesson-sections");
  const known = (list?.dataset.known ?? "").split(",");
  const now = [...sections, "|", ...open].join(",");
  if (list && known.join(",") !== now) {
    await window.htmx.ajax("GET", location.pathname + location.search, { target: "#lesson-sections", select: "#lesson-sections", swap: "outerHTML" });
    const fresh = document.querySelector("#lesson-sections");
    fresh.dataset.known = now;
    // Where all that is open stands below each other, what has opened comes behind it; what is there stays as it is.
    if (!next && open.some((key) => !document.querySelector(`[data-section="${key}"]`))) {
      const page = new DOMParser().parseFromString(await (await fetch(location.href)).text(), "text/html");
      const place = document.querySelector("[data-next-place]");
      for (const section of page.querySelectorAll("#lesson-shown [data-section]")) {
        if (document.querySelector(`[data-section="${section.dataset.section}"]`)) continue;
        place.before(section);
        takesAnswers(section);
      }
      soon();
    }
  }
});
document.addEventListener("lesson:shown", () => takesAnswers());

if (stage?.dataset.report) {
  stage.where = () => ({ place: at(), words: `section ${at()}` });
  stage.go = (place) => { if (Math.round(place) !== at()) location.search = `?section=${Math.round(place)}`; };
}
takesAnswers();
if (stage) begin();
