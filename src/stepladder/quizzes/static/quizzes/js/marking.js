// Marking by keys: a digit gives points to the answer one is at, and goes on to the next.
const form = document.querySelector("[data-marking]");
const answers = [...form.querySelectorAll("[data-answer]")];
let at = 0;
const go = (number) => {
  at = Math.min(Math.max(number, 0), answers.length - 1);
  answers[at]?.focus();
  answers[at]?.scrollIntoView({ block: "nearest" });
};
form.addEventListener("focusin", (event) => {
  const found = answers.indexOf(event.target.closest("[data-answer]"));
  if (found >= 0) at = found;
});
document.addEventListener("keydown", (event) => {
  if (event.key === "Enter" && (event.ctrlKey || event.metaKey)) { event.preventDefault(); form.requestSubmit(); return; }
  if (event.ctrlKey || event.metaKey || event.altKey || document.body.hasAttribute("data-no-keys")) return;
  if (event.target.closest("textarea, select, input:not([type=radio])")) return;
  const choice = /^\d$/.test(event.key) && answers[at]?.querySelector(`input[type=radio][value="${event.key}"]`);
  if (!choice) return;
  event.preventDefault();
  // Elsewhere a digit climbs to another part of the application.
  event.stopImmediatePropagation();
  choice.checked = true;
  if (at < answers.length - 1) go(at + 1);
}, { capture: true });
