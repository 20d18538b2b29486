// What stands in the fields of a question (writing/blocks/answers.html): read as it is sent, and set as it was kept.
export const given = (form) => {
  const kind = form.dataset.kind;
  const ticked = [...form.querySelectorAll("input:checked:not([data-aside])")].map((input) => input.value);
  if (kind === "one") return ticked.length ? Number(ticked[0]) : null;
  if (kind === "true_false") return ticked.length ? ticked[0] === "true" : null;
  if (kind === "several") return ticked.map(Number);
  if (kind === "order") return [...form.querySelectorAll("[data-place]")].map((item) => Number(item.dataset.place));
  if (kind === "match") return [...form.querySelectorAll("select")].map((select) => (select.value === "" ? null : Number(select.value)));
  return form.querySelector("[data-written]")?.value ?? "";
};

export const isNothing = (answer) => answer === null || answer === "" || (Array.isArray(answer) && answer.every((one) => one === null));

// Of a match the places that were chosen stand beside it.
export const restore = (within = document) => {
  for (const list of within.querySelectorAll("[data-given]")) {
    const chosen = JSON.parse(list.dataset.given) ?? [];
    for (const select of list.querySelectorAll("select")) {
      const place = chosen[Number(select.dataset.left)];
      if (place !== null && place !== undefined) select.value = String(place);
    }
  }
};

document.addEventListener("click", (event) => {
  const move = event.target.closest("[data-order] [data-move]");
  if (!move) return;
  const item = move.closest("li");
  const other = move.dataset.move === "-1" ? item.previousElementSibling : item.nextElementSibling;
  if (!other) return;
  if (move.dataset.move === "-1") other.before(item); else other.after(item);
  move.focus();
  item.dispatchEvent(new Event("change", { bubbles: true }));
});
