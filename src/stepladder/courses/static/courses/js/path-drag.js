// A choice of the picker that is dragged onto a stage is put into it, with whatever else is ticked: the same as ticking it,
// choosing the stage and pressing Add, which is how it goes by keys.
const form = document.getElementById("path-picker");
const stages = document.getElementById("stages");
let dragged = null;

const stageAt = (event) => event.target.closest?.(".path-stage");

const mark = (stage) => {
  for (const one of stages.querySelectorAll(".is-over")) one.classList.toggle("is-over", one === stage);
  stage?.classList.add("is-over");
};

form.addEventListener("dragstart", (event) => {
  const item = event.target.closest?.("li[draggable]");
  dragged = item?.querySelector("input[name=course]") ?? null;
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
  const number = [...stages.querySelectorAll(".path-stage")].indexOf(stage);
  const into = form.querySelector(`input[name=into][value="${number}"]`);
  into.checked = true;
  into.dispatchEvent(new Event("change", { bubbles: true }));
  dragged.checked = true;
  dragged.dispatchEvent(new Event("change", { bubbles: true }));
  form.requestSubmit(form.querySelector("[data-add]"));
  dragged = null;
  mark(null);
});
