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
  if (event.target.name === "who" || event.target.hasAttribute("data-narrows")) return;
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
  place.lastElementChild.querySelector("select").focus();
  if (Number(count.value) >= 6) add.hidden = true;
});

// Parts of a form that only one choice of a field needs.
const showParts = () => {
  for (const part of form.querySelectorAll("[data-shows-for]")) {
    part.hidden = form.elements[part.dataset.showsBy].value !== part.dataset.showsFor;
  }
};

showDue();
showParts();
