// Choosing rows of a table, and the bar of verbs that appears with them; lists that are narrowed as one types.
const barOf = (form) => form.querySelector("[data-bulk]");

const count = (form) => {
  const chosen = form.querySelectorAll("[data-tick]:checked").length;
  const bar = barOf(form);
  if (!bar) return;
  bar.hidden = chosen === 0;
  const said = bar.querySelector("[data-count]");
  if (said) said.textContent = `${chosen} chosen`;
};

document.addEventListener("change", (event) => {
  const form = event.target.closest("form");
  if (!form) return;
  if (event.target.matches("[data-tick-all]")) {
    for (const tick of form.querySelectorAll("[data-tick]")) tick.checked = event.target.checked;
  }
  if (event.target.matches("[data-tick], [data-tick-all]")) count(form);
});

// Filtered rows are others: what was ticked of them is ticked no more.
document.addEventListener("filtered", () => {
  for (const form of document.querySelectorAll("form:has([data-bulk])")) count(form);
});

// A list that is already here is narrowed as one types.
document.addEventListener("input", (event) => {
  const field = event.target.closest("[data-narrows]");
  if (!field) return;
  const wanted = field.value.trim().toLowerCase();
  for (const item of document.querySelectorAll(`${field.dataset.narrows} > li`)) {
    item.hidden = wanted !== "" && !item.textContent.toLowerCase().includes(wanted);
  }
});

document.addEventListener("click", (event) => {
  const opener = event.target.closest("[data-opens]");
  if (opener) document.querySelector(opener.dataset.opens)?.showModal();
  const closer = event.target.closest("[data-closes]");
  if (closer) closer.closest("dialog").close();
});
