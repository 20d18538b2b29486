// Toasts that a swapped-in part announces; each stays until it is read or closed.
const place = document.querySelector("[data-toasts]");

const show = (text, trouble) => {
  const toast = document.createElement("p");
  toast.className = trouble ? "toast is-trouble" : "toast";
  toast.textContent = text;
  place.append(toast);
  dress(toast);
};

const dress = (toast) => {
  const close = document.createElement("button");
  close.type = "button";
  close.textContent = "close";
  close.addEventListener("click", () => toast.remove());
  toast.append(close);
  if (!toast.classList.contains("is-trouble")) setTimeout(() => toast.remove(), 12000);
};

for (const toast of place.querySelectorAll(".toast")) dress(toast);
document.addEventListener("toast", (event) => show(event.detail.text, event.detail.trouble));
