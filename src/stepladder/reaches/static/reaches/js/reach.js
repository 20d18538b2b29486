// The reach as it is put together: every change is looked at by the server, which answers in the margin.
const form = document.querySelector("[data-reach]");
const due = form.querySelector("[data-due]");

const changed = () => document.body.dispatchEvent(new CustomEvent("reach-changed"));

const showDue = () => {
  if (!due) return;
  const chosen = form.elements.due.value;
  for (const part of due.querySelectorAll("[data-due-for]")) part.hidden = part.dataset.dueFor !== chosen;
};

form.addEventListener("input", (event) => {
  if (event.target.name === "naming" || event.target.matches("[data-choose-by]")) return;
  changed();
});

form.addEventListener("change", (event) => {
  if (event.target.name === "due") showDue();
  showParts();
});

form.addEventListener("click", async (event) => {
  const add = event.target.closest("[data-add-part]");
  if (!add) return;
  const count = form.querySelector("[data-part-count]");
  const place = form.querySelector("[data-parts]");
  const answer = await fetch(`${add.dataset.url}?number=${count.value}`);
  place.insertAdjacentHTML("beforeend", await answer.text());
  count.value = String(Number(count.value) + 1);
  dress(place.lastElementChild);
  place.lastElementChild.querySelector("select").focus();
  form.querySelector("[data-join]").hidden = false;
  if (Number(count.value) >= 6) add.hidden = true;
});

// Parts of a form that only one choice of a field needs.
const showParts = () => {
  for (const part of form.querySelectorAll("[data-shows-for]")) {
    part.hidden = form.elements[part.dataset.showsBy].value !== part.dataset.showsFor;
  }
};

// Units, positions and groups are found by typing; those chosen stand as words, and go by a click.
const labelOf = (item) => item.textContent.trim().toLowerCase();
const boxOf = (target) => target.closest?.("[data-choose]");
const optionsOf = (box) => box.querySelector("[data-options]");

const sort = (box) => {
  const options = optionsOf(box);
  for (const item of [...options.children].sort((a, b) => a.dataset.at - b.dataset.at)) options.append(item);
};
const dress = (within) => {
  for (const box of within.querySelectorAll("[data-choose]")) {
    for (const [n, item] of [...optionsOf(box).children].entries()) {
      item.dataset.at = String(n);
      if (item.querySelector("input").checked) box.querySelector("[data-chosen]").append(item);
    }
  }
};
const narrow = (box) => {
  const wanted = box.querySelector("[data-choose-by]").value.trim().toLowerCase();
  for (const item of optionsOf(box).children) item.hidden = wanted !== "" && !labelOf(item).includes(wanted);
};
const open = (box, is) => {
  optionsOf(box).hidden = !is;
  box.querySelector("[data-choose-by]").setAttribute("aria-expanded", String(is));
};
const shownIn = (box) => [...optionsOf(box).querySelectorAll("li:not([hidden]) input")];

form.addEventListener("focusin", (event) => {
  const box = event.target.matches("[data-choose-by]") && boxOf(event.target);
  if (box) { narrow(box); open(box, true); }
});
form.addEventListener("focusout", (event) => {
  const box = boxOf(event.target);
  if (box && !box.contains(event.relatedTarget)) open(box, false);
});
form.addEventListener("input", (event) => {
  if (event.target.matches("[data-choose-by]")) { narrow(boxOf(event.target)); open(boxOf(event.target), true); }
});
form.addEventListener("change", (event) => {
  const item = event.target.type === "checkbox" && event.target.closest("[data-choose] li");
  if (!item) return;
  const box = boxOf(item);
  const seek = box.querySelector("[data-choose-by]");
  if (event.target.checked) box.querySelector("[data-chosen]").append(item);
  else { optionsOf(box).append(item); sort(box); }
  seek.value = "";
  narrow(box);
  seek.focus();
});
form.addEventListener("keydown", (event) => {
  const box = boxOf(event.target);
  if (!box) return;
  const seek = box.querySelector("[data-choose-by]");
  const shown = shownIn(box);
  const at = shown.indexOf(event.target);
  if (event.key === "Escape") { open(box, false); return; }
  if (event.key === "Enter" && event.target === seek) {
    event.preventDefault();
    if (seek.value.trim() && shown.length) shown[0].click();
  } else if (event.key === "Enter" && at >= 0) { event.preventDefault(); event.target.click(); }
  else if (event.key === "ArrowDown" && (event.target === seek || at >= 0)) { event.preventDefault(); shown[at + 1]?.focus(); }
  else if (event.key === "ArrowUp" && at >= 0) { event.preventDefault(); (shown[at - 1] ?? seek).focus(); }
});

showDue();
showParts();
dress(form);
