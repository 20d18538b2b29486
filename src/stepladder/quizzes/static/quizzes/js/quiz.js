// A quiz being taken: each answer goes out at once, by the player's own shelf, which keeps it where there is no line. The time is
// the server's; what is shown here only counts down from what it said.
import { given, isNothing, restore } from "../../writing/js/answers.js";

const stage = document.querySelector("[data-player]");
const quiz = document.querySelector("[data-quiz]");
const tab = Math.random().toString(36).slice(2, 12);
// A tick is meant; a text is waited for while one types, in milliseconds.
const PAUSE = 800;
const MOST_IDLE = 60;

let last = performance.now();
const spent = () => {
  const now = performance.now();
  const seconds = Math.min(MOST_IDLE, (now - last) / 1000);
  last = now;
  return Math.round(seconds);
};

const waiting = new Map();
const save = (form) => {
  clearTimeout(waiting.get(form));
  waiting.delete(form);
  stage.report({
    seconds: spent(),
    answer: {
      question: Number(form.dataset.question), given: given(form), tab,
      aside: form.querySelector("[data-aside]").checked, revision: Number(form.dataset.revision),
    },
  });
};

const places = (place) => document.querySelectorAll(`[data-place-of="${place}"]`);
const show = (place, isAnswered, isAside) => {
  for (const one of places(place)) {
    one.classList.toggle("is-answered", isAnswered);
    one.classList.toggle("is-aside", isAside);
    one.querySelector("[data-state]").textContent = `${isAnswered ? "answered" : "not answered"}${isAside ? ", to come back to" : ""}`;
  }
  const open = document.querySelectorAll("[data-place-of]:not(.is-answered)").length;
  for (const count of document.querySelectorAll("[data-open]")) count.textContent = open;
  for (const words of document.querySelectorAll("[data-open-words]")) words.hidden = !open;
  for (const words of document.querySelectorAll("[data-all-words]")) words.hidden = Boolean(open);
};

const changed = (event) => {
  const form = event.target.closest("form[data-question]");
  if (!form || event.target.matches("[type=file]")) return;
  show(form.dataset.question, !isNothing(given(form)) || form.dataset.kind === "file" && form.querySelector("[data-file]") !== null,
    form.querySelector("[data-aside]").checked);
  if (event.type === "input" && event.target.matches("[data-written]")) {
    clearTimeout(waiting.get(form));
    waiting.set(form, setTimeout(() => save(form), PAUSE));
  } else if (event.type === "change") save(form);
};
quiz.addEventListener("input", changed);
quiz.addEventListener("change", changed);
quiz.addEventListener("submit", (event) => {
  const form = event.target.closest("form[data-question]");
  if (!form || form.dataset.kind === "file") return;
  event.preventDefault();
  save(form);
});
// What is typed and not sent yet goes before one does.
const flush = () => { for (const form of [...waiting.keys()]) save(form); };
window.addEventListener("pagehide", flush);
document.addEventListener("visibilitychange", () => { if (document.hidden) flush(); });
quiz.addEventListener("focusout", (event) => { const form = event.target.closest("form[data-question]"); if (waiting.has(form)) save(form); });

document.addEventListener("reported", (event) => {
  const said = event.detail.question;
  const form = said && quiz.querySelector(`form[data-question="${said.place}"]`);
  if (typeof event.detail.left === "number") ends = performance.now() + event.detail.left * 1000;
  if (!form) return;
  form.dataset.revision = said.revision;
  if (said.elsewhere) {
    form.querySelector("[data-fields]").innerHTML = said.html;
    restore(form);
    form.querySelector("[data-aside]").checked = said.aside;
    form.querySelector("[data-told]").textContent = said.elsewhere;
  } else form.querySelector("[data-told]").textContent = "";
  if (said.elsewhere || !waiting.has(form)) show(said.place, said.answered, said.aside);
});

// --- the time
const clock = document.querySelector("[data-left]");
let ends = clock ? performance.now() + Number(clock.dataset.left) * 1000 : Infinity;
const two = (number) => String(number).padStart(2, "0");
let told = "";
const tick = () => {
  const left = Math.max(0, Math.ceil((ends - performance.now()) / 1000));
  clock.textContent = left >= 3600 ? `${Math.floor(left / 3600)}:${two(Math.floor(left / 60) % 60)}:${two(left % 60)}` : `${Math.floor(left / 60)}:${two(left % 60)}`;
  clock.classList.toggle("is-short", left <= 60);
  // Read out seldom: at five minutes, at one, and when it is over.
  const words = left === 0 ? "The time is up." : left <= 60 ? "Less than a minute left." : left <= 300 ? "Less than five minutes left." : "";
  if (words !== told) { told = words; document.querySelector("[data-time-told]").textContent = words; }
  if (left > 0) return;
  clearInterval(ticking);
  flush();
  // The line has its grace: what is still on its way arrives before it is handed in.
  setTimeout(() => document.querySelector("form[data-hand-in]").requestSubmit(), 2500);
};
let ticking;
if (clock) { tick(); ticking = setInterval(tick, 500); }

// --- handing in, with what is still open said first
const dialog = document.querySelector("[data-before-handing-in]");
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-ask-hand-in]")) { flush(); dialog.showModal(); }
  if (event.target.closest("[data-go-on]")) dialog.close();
});
document.querySelector("form[data-hand-in]").addEventListener("submit", flush);
restore();
