// Drawing a session on the week, and dragging one to another time. Both lead to a form that says what clashes; nothing is
// saved here. With touch the page scrolls as ever: there the lines' labels lead to the form.
const STEP = 15;
const LEAST = 30;
const START_PX = 5;
const svg = document.querySelector("[data-week]");

const place = (event) => new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
const minutesAt = (x) => {
  const hours = Number(svg.dataset.first) + (x - Number(svg.dataset.label)) / Number(svg.dataset.hour);
  return Math.max(0, Math.min(24 * 60 - LEAST, Math.round((hours * 60) / STEP) * STEP));
};
const xAt = (minutes) => Number(svg.dataset.label) + (minutes / 60 - Number(svg.dataset.first)) * Number(svg.dataset.hour);
const written = (minutes) => `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
const lineAt = (y) =>
  [...svg.querySelectorAll("[data-line]")].find((line) => {
    const top = Number(line.getAttribute("y"));
    return y >= top && y < top + Number(line.getAttribute("height"));
  });

const ghost = document.createElementNS("http://www.w3.org/2000/svg", "rect");
ghost.setAttribute("class", "week-ghost");
const figure = document.createElementNS("http://www.w3.org/2000/svg", "text");
figure.setAttribute("class", "week-figure is-ghost");

let drag = null;

const show = (line, from, length) => {
  ghost.setAttribute("x", xAt(from));
  ghost.setAttribute("y", Number(line.getAttribute("y")) + 3);
  ghost.setAttribute("width", (length / 60) * Number(svg.dataset.hour));
  ghost.setAttribute("height", Number(line.getAttribute("height")) - 6);
  figure.setAttribute("x", xAt(from) + 4);
  figure.setAttribute("y", Number(line.getAttribute("y")) + 16);
  figure.textContent = `${written(from)}–${written(from + length)}`;
  if (!ghost.isConnected) svg.append(ghost, figure);
};

const stop = () => {
  ghost.remove();
  figure.remove();
  drag = null;
};

svg.addEventListener("dragstart", (event) => event.preventDefault());

svg.addEventListener("pointerdown", (event) => {
  if (event.pointerType === "touch" || event.button !== 0) return;
  const at = place(event);
  const line = lineAt(at.y);
  if (!line || at.x < Number(svg.dataset.label)) return;
  const bar = event.target.closest("[data-bar]");
  if (!bar && event.target.closest("a")) return;
  const box = bar?.querySelector("rect");
  const from = minutesAt(box ? Number(box.getAttribute("x")) : at.x);
  const length = box ? Math.round(((Number(box.getAttribute("width")) + 2) / Number(svg.dataset.hour)) * 60) : 0;
  drag = { bar, line, from, length, held: minutesAt(at.x) - from, x: event.clientX, y: event.clientY, moved: false };
  if (!bar) event.preventDefault();
});

document.addEventListener("pointermove", (event) => {
  if (!drag) return;
  if (!drag.moved && Math.hypot(event.clientX - drag.x, event.clientY - drag.y) < START_PX) return;
  drag.moved = true;
  const at = place(event);
  if (drag.bar) {
    drag.line = lineAt(at.y) ?? drag.line;
    drag.to = Math.max(0, Math.min(24 * 60 - drag.length, minutesAt(at.x) - drag.held));
    show(drag.line, drag.to, drag.length);
    return;
  }
  const end = minutesAt(at.x);
  drag.start = Math.min(drag.from, end);
  drag.minutes = Math.max(LEAST, Math.abs(end - drag.from));
  show(drag.line, drag.start, drag.minutes);
});

document.addEventListener("pointerup", () => {
  if (!drag) return;
  const { bar, line, moved } = drag;
  if (moved) {
    const asked = new URLSearchParams({ day: line.dataset.day, start: written(bar ? drag.to : drag.start) });
    if (!bar) asked.set("minutes", drag.minutes);
    const room = line.dataset.room || (bar ? "" : svg.dataset.room);
    if (room) asked.set("room", room);
    // The click that ends the drag must not follow the bar's own link.
    document.addEventListener("click", (click) => click.preventDefault(), { once: true, capture: true });
    window.location.assign(`${bar ? bar.dataset.move : svg.dataset.new}?${asked}`);
  }
  stop();
});

document.addEventListener("keydown", (event) => {
  if (event.key === "Escape" && drag) stop();
});
