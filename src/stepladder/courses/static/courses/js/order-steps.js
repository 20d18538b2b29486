// Steps are ordered by dragging, by their arrows, or with Alt and the arrow keys; the server has the order at once.
const lists = () => [...document.querySelectorAll("[data-steps]")];

const save = (focus, control) => {
  const values = lists().flatMap((list) =>
    [...list.querySelectorAll("[data-step]")].map((step) => `${step.dataset.step}:${list.dataset.steps}`));
  const again = () => {
    const step = document.querySelector(`[data-step="${focus}"]`);
    (control ? step?.querySelector(`[data-move="${control}"]`) : step)?.focus();
  };
  window.htmx
    .ajax("POST", lists()[0].dataset.orderUrl, { target: "#outline", swap: "innerHTML", values: { step: values } })
    .then(again);
};

const move = (step, way, control) => {
  const all = lists();
  const at = all.indexOf(step.parentElement);
  if (way === "up") {
    if (step.previousElementSibling) step.previousElementSibling.before(step);
    else if (at > 0) all[at - 1].append(step);
    else return;
  } else if (step.nextElementSibling) step.nextElementSibling.after(step);
  else if (at < all.length - 1) all[at + 1].prepend(step);
  else return;
  save(step.dataset.step, control);
};

document.addEventListener("click", (event) => {
  const control = event.target.closest("[data-move]");
  if (control) move(control.closest("[data-step]"), control.dataset.move, control.dataset.move);
});

document.addEventListener("keydown", (event) => {
  const step = event.target.closest?.("[data-step]");
  if (!step || !event.altKey || !["ArrowUp", "ArrowDown"].includes(event.key)) return;
  event.preventDefault();
  move(step, event.key === "ArrowUp" ? "up" : "down", null);
});

const dress = () => {
  for (const list of lists()) {
    if (list.dataset.sorted) continue;
    list.dataset.sorted = "1";
    window.Sortable.create(list, {
      group: "steps",
      draggable: "[data-step]",
      filter: "button, a",
      preventOnFilter: false,
      ghostClass: "is-moving",
      onEnd: (event) => save(event.item.dataset.step, null),
    });
  }
};

window.addEventListener("load", dress);
document.addEventListener("htmx:afterSwap", dress);
