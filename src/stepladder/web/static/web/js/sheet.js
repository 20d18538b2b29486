// Sheets that save themselves: what is typed is marked "not saved" until the server has it; leaving with unsaved work asks.
const unsaved = new Set();

const stateOf = (form) => document.querySelector(form.getAttribute("hx-target")) ?? form;

document.addEventListener("input", (event) => {
  const form = event.target.closest("form[data-saves], form[data-guards]");
  if (!form) return;
  unsaved.add(form);
  if (form.hasAttribute("data-saves")) stateOf(form).innerHTML = '<span class="saved is-unsaved">not saved</span>';
});

document.addEventListener("submit", (event) => unsaved.delete(event.target));

document.addEventListener("htmx:afterRequest", (event) => {
  const form = event.target.closest?.("form[data-saves]");
  if (!form) return;
  if (event.detail.successful) unsaved.delete(form);
  else if (event.detail.xhr.status === 0) stateOf(form).innerHTML = '<span class="saved is-unsaved">not saved: no connection</span>';
});

const showErrors = (form, errors) => {
  for (const place of form.querySelectorAll("[data-error-for]")) {
    const text = errors[place.dataset.errorFor];
    place.hidden = !text;
    place.textContent = text ?? "";
    const field = form.elements[place.dataset.errorFor];
    if (field?.setAttribute) text ? field.setAttribute("aria-invalid", "true") : field.removeAttribute("aria-invalid");
  }
};

// What the browser itself finds wrong is not sent: it is said at its field, as the server's errors are.
document.addEventListener("htmx:validation:halted", (event) => {
  const form = event.target.closest?.("form[data-saves]");
  if (form) showErrors(form, Object.fromEntries(event.detail.errors.map((e) => [e.elt.name, e.message])));
});

// Once the connection is back, what waited is saved by itself.
window.addEventListener("online", () => {
  for (const form of unsaved) if (form.isConnected && form.hasAttribute("data-saves")) window.htmx.trigger(form, "save");
});

document.addEventListener("sheet:errors", (event) => {
  const form = event.target.closest("form");
  if (form) showErrors(form, event.detail);
});

document.addEventListener("sheet:saved", (event) => {
  const form = event.target.closest("form");
  if (!form) return;
  showErrors(form, {});
  for (const field of document.querySelectorAll(`[name="revision"][data-sheet="${form.dataset.saves}"]`)) field.value = event.detail.revision;
  const overwrite = form.querySelector('[name="overwrite"]');
  if (overwrite) overwrite.value = "";
});

document.addEventListener("click", (event) => {
  if (event.target.closest("[data-reload]")) { unsaved.clear(); location.reload(); }
  if (event.target.closest("[data-overwrite]")) {
    const form = document.querySelector("form[data-saves]");
    form.querySelector('[name="overwrite"]').value = "1";
    window.htmx.trigger(form, "save");
  }
});

window.addEventListener("beforeunload", (event) => {
  if (unsaved.size) event.preventDefault();
});
