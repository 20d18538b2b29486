// The roster by tapping and by keys: each change is sent at once and the line comes back with what it comes to.
const roster = document.querySelector("[data-roster]");

const lines = () => [...roster.querySelectorAll("[data-person]")];
const here = () => document.activeElement?.closest("[data-person]");

const set = (line, whole) => {
  for (const field of line.querySelectorAll("[data-whole]")) field.value = whole ? field.dataset.whole : "0";
  line.querySelector("form").dispatchEvent(new Event("change", { bubbles: true }));
};

const go = (line, by) => {
  const all = lines();
  const next = all[Math.max(0, Math.min(all.length - 1, line ? all.indexOf(line) + by : 0))];
  next?.focus();
};

roster?.addEventListener("click", (event) => {
  const tap = event.target.closest("[data-there], [data-not-there]");
  if (tap) set(tap.closest("[data-person]"), tap.hasAttribute("data-there"));
});

document.addEventListener("keydown", (event) => {
  if (!roster || event.ctrlKey || event.metaKey || event.altKey) return;
  if (document.body.hasAttribute("data-no-keys")) return;
  if (event.target.closest("input, select, textarea, dialog[open]")) return;
  const line = here();
  if (event.key === "j") go(line, line ? 1 : 0);
  else if (event.key === "k") go(line, -1);
  else if (line && (event.key === "p" || event.key === "x")) {
    set(line, event.key === "p");
    go(line, 1);
  }
});

// What was tapped or typed while an earlier change was on its way stays, and is sent next; its own answer is swapped in.
const isOld = (line, sent) => [...line.querySelectorAll("[data-whole]")].some((field) => sent.get(field.name) !== field.value);

// A line that was swapped in while one is on it keeps the focus.
document.addEventListener("htmx:beforeSwap", (event) => {
  const line = event.detail.target?.closest?.("[data-person]");
  if (line && isOld(line, event.detail.requestConfig.formData)) { event.detail.shouldSwap = false; return; }
  if (!line || !line.contains(document.activeElement)) return;
  const inside = document.activeElement.getAttribute("name");
  const id = line.id;
  document.addEventListener(
    "htmx:afterSettle",
    () => {
      const again = document.getElementById(id);
      (inside ? again?.querySelector(`[name="${inside}"]`) : again)?.focus();
    },
    { once: true },
  );
});
