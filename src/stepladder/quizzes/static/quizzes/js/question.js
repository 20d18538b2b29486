// Another row of answers, pairs or numbers: the last one, empty, with names of its own.
document.addEventListener("click", (event) => {
  const another = event.target.closest("[data-another]");
  if (!another) return;
  const rows = [...another.closest("[data-rows]").querySelectorAll("[data-row]")];
  const row = rows.at(-1).cloneNode(true);
  const number = rows.length + 1;
  for (const field of row.querySelectorAll("input")) {
    if (field.matches("[type=radio], [type=checkbox]")) { field.checked = false; field.value = String(rows.length); } else field.value = "";
    field.name = field.name.replace(/^(choice_(?:picture|media)_)\d+/, `$1${rows.length}`);
    if (field.id) field.id = field.id.replace(/\d+/, String(rows.length));
    field.setAttribute("aria-label", (field.getAttribute("aria-label") ?? "").replace(/\d+$/, String(number)));
  }
  for (const label of row.querySelectorAll("label[for]")) label.htmlFor = label.htmlFor.replace(/\d+/, String(rows.length));
  // A picture stays with its own answer.
  for (const own of row.querySelectorAll("img, [name$=_kept], label:has([name$=_off])")) own.remove();
  for (const there of row.querySelectorAll("[data-there]")) there.hidden = true;
  for (const found of row.querySelectorAll("[data-found]")) found.replaceChildren();
  window.htmx.process(row);
  for (const fold of row.querySelectorAll("details")) fold.open = false;
  const shown = row.querySelector(".fig");
  if (shown) shown.textContent = String(number);
  rows.at(-1).after(row);
  row.querySelector("input:not([type=radio], [type=checkbox])").focus();
});

// A film or sound of the library: the one that is chosen, or none.
document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-beside] button");
  if (!button) return;
  const beside = button.closest("[data-beside]");
  const name = beside.querySelector("input[type=hidden]");
  name.value = button.dataset.version ?? "";
  if (button.dataset.version) beside.querySelector("[data-title]").textContent = button.textContent;
  beside.querySelector("[data-there]").hidden = !name.value;
  beside.querySelector("[data-found]").replaceChildren();
  // The preview and what guards the page take it for what it is: a change.
  name.dispatchEvent(new Event("input", { bubbles: true }));
  beside.querySelector("input[type=search]").focus();
});
