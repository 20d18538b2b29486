// Whoever is ticked in a box of people moves from those found to those named, and stays there.
document.addEventListener("change", (event) => {
  const box = event.target.closest("[data-naming]");
  if (!box || event.target.type !== "checkbox") return;
  const item = event.target.closest("li");
  if (event.target.checked) box.querySelector("[data-named]").append(item);
  else item.remove();
  document.body.dispatchEvent(new CustomEvent("reach-changed"));
});

// Several numbers, addresses or names that are pasted are all named at once; what names nobody is said, and nothing of it is lost.
const isSeveral = (text) => /[\n\t;,]/.test(text.trim());

document.addEventListener("paste", async (event) => {
  const box = event.target.closest?.("[data-naming][data-paste]");
  const text = event.clipboardData?.getData("text") ?? "";
  if (!box || !isSeveral(text)) return;
  event.preventDefault();
  const field = event.target;
  const body = new FormData();
  body.set("who", text);
  body.set("field", box.querySelector("[data-named]").dataset.field);
  body.set("csrfmiddlewaretoken", document.querySelector("[name=csrfmiddlewaretoken]").value);
  box.setAttribute("aria-busy", "true");
  try {
    const answer = await fetch(box.dataset.paste, { method: "POST", body });
    if (!answer.ok) throw new Error(String(answer.status));
    const list = box.querySelector("[data-named]");
    list.querySelectorAll("[data-paste-trouble]").forEach((old) => old.remove());
    const named = document.createElement("ul");
    named.innerHTML = await answer.text();
    for (const item of [...named.children]) {
      const value = item.querySelector("input")?.value;
      // Who is named already stays as they are.
      if (!value || !list.querySelector(`input[value="${CSS.escape(value)}"]`)) list.append(item);
    }
    document.body.dispatchEvent(new CustomEvent("reach-changed"));
  } catch {
    field.value = text.slice(0, 200);
    const detail = { text: "These people could not be looked up. Paste them once more.", trouble: true };
    document.dispatchEvent(new CustomEvent("toast", { detail }));
  } finally {
    box.removeAttribute("aria-busy");
  }
});
