// How many letters a field with data-letters has, and how many are the most: said below it while one writes in it.
const said = new WeakMap();

const tell = (field) => {
  const most = Number(field.dataset.letters);
  let line = said.get(field);
  if (!line?.isConnected) {
    line = document.createElement("span");
    line.className = "letters small";
    field.after(line);
    said.set(field, line);
  }
  const count = field.value.length;
  line.textContent = `${count} of ${most}`;
  line.classList.toggle("is-over", count > most);
  line.classList.remove("is-quiet");
};

// The most of a number that a choice beside it sets: said at once, not only when the form is sent.
const cap = (field) => {
  const choice = document.getElementById(field.dataset.mostOf);
  const most = Number(choice?.selectedOptions[0]?.dataset.most ?? 0);
  field.max = String(most);
  const isOver = Number(field.value) > most;
  field.setCustomValidity(isOver ? `It needs ${most}: a course gives no more than that.` : "");
  if (isOver) field.reportValidity();
};

document.addEventListener("change", (event) => {
  document.querySelectorAll(`[data-most-of="${CSS.escape(event.target.id)}"]`).forEach(cap);
});
document.addEventListener("input", (event) => event.target.matches?.("[data-most-of]") && cap(event.target));
document.addEventListener("input", (event) => event.target.matches?.("[data-letters]") && tell(event.target));
document.addEventListener("focusin", (event) => event.target.matches?.("[data-letters]") && tell(event.target));
document.addEventListener("focusout", (event) => {
  const field = event.target;
  // What is too long keeps saying so.
  if (field.matches?.("[data-letters]") && field.value.length <= Number(field.dataset.letters)) {
    // Hidden in its place: a button below that moved up under the pointer would lose the very click that leaves the field.
    said.get(field)?.classList.add("is-quiet");
  }
});
