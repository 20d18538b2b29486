// Single keys: 1–7 climb to a rung, / searches, ? lists the keys. Never inside a field; off where the settings say so.
const inField = (target) => target.closest("input, textarea, select, [contenteditable], dialog[open]") !== null;

document.addEventListener("keydown", (event) => {
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey) return;
  if (document.body.hasAttribute("data-no-keys") || inField(event.target)) return;
  const rung = document.querySelector(`[data-rung="${CSS.escape(event.key)}"]`);
  if (rung) rung.click();
  else if (event.key === "/") {
    const seek = document.querySelector("[data-seek]");
    if (seek) { event.preventDefault(); seek.focus(); }
  } else if (event.key === "?") document.querySelector("[data-keys-help]").showModal();
});

// On narrow screens the index starts folded.
if (window.matchMedia("(max-width: 1080px)").matches) {
  for (const fold of document.querySelectorAll("[data-fold]")) fold.removeAttribute("open");
}

// There the rungs lie in a row that may be wider than the screen: the current one is brought into it.
document.querySelector(".rail .rung[aria-current]")?.scrollIntoView({ block: "nearest", inline: "center" });
