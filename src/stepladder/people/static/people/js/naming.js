// Whoever is ticked in a box of people moves from those found to those named, and stays there.
document.addEventListener("change", (event) => {
  const box = event.target.closest("[data-naming]");
  if (!box || event.target.type !== "checkbox") return;
  const item = event.target.closest("li");
  if (event.target.checked) box.querySelector("[data-named]").append(item);
  else item.remove();
  document.body.dispatchEvent(new CustomEvent("reach-changed"));
});
