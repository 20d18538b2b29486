// The picker narrows as one types, keeps what is ticked, and says how many it would add.
const form = document.querySelector("[data-picker]");
// What is picked, as its boxes are named.
const picked = form.dataset.picker || "module";
const choices = form.querySelector("[data-choices]");
const add = form.querySelector("[data-add]");
let kept = new Map();
let waiting;

const say = () => {
  for (const box of choices.querySelectorAll("input[type=checkbox]")) {
    if (!box.checked) kept.delete(box.value);
    else if (!kept.has(box.value)) kept.set(box.value, box.closest("li"));
  }
  add.disabled = kept.size === 0;
  add.textContent = kept.size ? `Add ${kept.size}` : "Add";
};

form.addEventListener("input", (event) => {
  if (!event.target.matches("[data-pick-filter]")) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => window.htmx.trigger(choices, "narrow"), 200);
});

form.addEventListener("change", (event) => {
  if (event.target.name === "kind" || event.target.matches("[data-pick-narrows]")) window.htmx.trigger(choices, "narrow");
  if (event.target.dataset.says) form.querySelector("[data-part-name]").textContent = event.target.dataset.says;
  if (event.target.name === picked) say();
});

// What was ticked before the list was narrowed stays ticked, and stays in sight.
choices.addEventListener("htmx:afterSwap", () => {
  for (const [value, item] of [...kept].reverse()) {
    // What was put first, to stay in sight, gives way to itself further down.
    if (choices.querySelectorAll(`input[value="${value}"]`).length > 1) item.remove();
    const box = choices.querySelector(`input[value="${value}"]`);
    if (box) box.checked = true;
    else choices.prepend(item);
  }
  say();
});

const clear = () => {
  kept = new Map();
  for (const box of choices.querySelectorAll("input[type=checkbox]:checked")) box.checked = false;
};

form.addEventListener("htmx:beforeRequest", (event) => { if (event.target === form) clear(); });
// They become steps in the order in which they were ticked, wherever they stand in the list.
form.addEventListener("htmx:configRequest", (event) => {
  if (event.target !== form) return;
  event.detail.parameters.delete(picked);
  for (const value of kept.keys()) event.detail.parameters.append(picked, value);
});
form.addEventListener("htmx:afterRequest", (event) => { if (event.target === form) say(); });
// Where a filter changed the page in place, the list that was asked for went with it.
document.addEventListener("filtered", () => window.htmx.trigger(choices, "narrow"));
// A script that sends what is picked itself takes it: it is put into the list that the event brings.
form.addEventListener("take", (event) => {
  event.detail.push(...kept.keys());
  clear();
  say();
});
