// A choice of the picker that is dragged onto a stage is put into it, with whatever else is ticked: the same as ticking it,
// choosing the stage and pressing Add, which is how it goes by keys.
const form = document.getElementById("path-picker");
const choices = form.querySelector("[data-choices]");
const stages = document.getElementById("stages");
// The choice on its way: the list it was taken from may be drawn anew meanwhile.
let dragged = null;

const stageAt = (event) => event.target.closest?.(".path-stage");

const mark = (stage) => {
  for (const one of stages.querySelectorAll(".is-over")) one.classList.toggle("is-over", one === stage);
  stage?.classList.add("is-over");
};

form.addEventListener("dragstart", (event) => {
  const item = event.target.closest?.("li[draggable]");
  dragged = item?.querySelector("input[name=course]") ? item : null;
  if (!dragged) return;
  event.dataTransfer.effectAllowed = "copy";
  event.dataTransfer.setData("text/plain", item.textContent.trim());
});

form.addEventListener("dragend", () => {
  dragged = null;
  mark(null);
});

stages.addEventListener("dragover", (event) => {
  const stage = stageAt(event);
  if (!dragged || !stage) return;
  event.preventDefault();
  event.dataTransfer.dropEffect = "copy";
  mark(stage);
});

stages.addEventListener("drop", (event) => {
  const stage = stageAt(event);
  if (!dragged || !stage) return;
  event.preventDefault();
  const into = form.querySelector(`input[name=into][value="${stage.dataset.key}"]`);
  into.checked = true;
  into.dispatchEvent(new Event("change", { bubbles: true }));
  const { value } = dragged.querySelector("input[name=course]");
  const sameChoice = () => choices.querySelector(`input[name=course][value="${value}"]`);
  if (!sameChoice()) choices.prepend(dragged);
  sameChoice().checked = true;
  sameChoice().dispatchEvent(new Event("change", { bubbles: true }));
  form.requestSubmit();
  dragged = null;
  mark(null);
});
