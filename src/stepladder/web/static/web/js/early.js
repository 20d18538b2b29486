// On a slow line one types, ticks and chooses before the scripts came: what they did not hear is told them once all are there.
const isText = (field) => field.matches("input:not([type=checkbox], [type=radio], [type=file]), textarea");

const differs = (field) => {
  if (field.matches("[type=hidden], button, output, fieldset, object")) return false;
  // Of those of which one is chosen, the one that was left says nothing.
  if (field.matches("[type=radio]")) return field.checked && !field.defaultChecked;
  if (field.matches("[type=checkbox]")) return field.checked !== field.defaultChecked;
  if (field.matches("select")) {
    const options = [...field.options];
    return options.some((o) => o.defaultSelected) && options.some((o) => o.selected !== o.defaultSelected);
  }
  return field.value !== field.defaultValue;
};

// All other scripts of the page have run by then, and their listeners are there.
document.addEventListener("DOMContentLoaded", () => {
  // What a browser puts back on the way back or on a reload nobody typed, and it may be old: it is left alone.
  if (performance.getEntriesByType("navigation")[0]?.type !== "navigate") return;
  for (const form of document.forms) {
    for (const field of [...form.elements].filter(differs)) {
      field.dispatchEvent(new Event("input", { bubbles: true }));
      // In a text where one is still typing the browser itself says "change" once it is left.
      if (field !== document.activeElement || !isText(field)) field.dispatchEvent(new Event("change", { bubbles: true }));
    }
  }
});
