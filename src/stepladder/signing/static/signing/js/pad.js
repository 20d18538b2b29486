// A field to sign in with a finger, a pen or a mouse. Strokes of points in thousandths of its width; a name may be typed instead.
const MOST_POINTS = 3500;
const MOST_STROKES = 70;

export const openPad = (pad) => {
  const field = pad.querySelector("[data-pad-field]");
  const ink = field.querySelector("path");
  const clear = pad.querySelector("[data-pad-clear]");
  const sent = pad.querySelector("input[type=hidden]");
  let strokes = [];
  let stroke = null;

  const draw = () => {
    ink.setAttribute("d", strokes.map((one) => `M${one.map(([x, y]) => `${x} ${y}`).join(" L")}`).join(" "));
    sent.value = strokes.length ? JSON.stringify(strokes) : "";
    pad.classList.toggle("has-ink", strokes.length > 0);
    clear.hidden = !strokes.length;
  };
  const count = () => strokes.reduce((sum, one) => sum + one.length, 0);
  const point = (event) => {
    const box = field.getBoundingClientRect();
    return [Math.round(((event.clientX - box.left) / box.width) * 1000), Math.round(((event.clientY - box.top) / box.height) * 400)]
      .map((one, at) => Math.min(Math.max(one, 0), at ? 400 : 1000));
  };
  field.addEventListener("pointerdown", (event) => {
    if (strokes.length >= MOST_STROKES || count() >= MOST_POINTS) return;
    event.preventDefault();
    field.setPointerCapture(event.pointerId);
    stroke = [point(event)];
    strokes.push(stroke);
    draw();
  });
  field.addEventListener("pointermove", (event) => {
    if (!stroke || count() >= MOST_POINTS) return;
    const [x, y] = point(event);
    const [lastX, lastY] = stroke.at(-1);
    if (Math.abs(x - lastX) + Math.abs(y - lastY) < 4) return;
    stroke.push([x, y]);
    draw();
  });
  for (const name of ["pointerup", "pointercancel"]) field.addEventListener(name, () => { stroke = null; });
  clear.addEventListener("click", () => { strokes = []; draw(); pad.querySelector("input:not([type=hidden])").focus(); });
  field.removeAttribute("hidden");
  draw();
  return {
    set: (text) => { try { strokes = text ? JSON.parse(text) : []; } catch { strokes = []; } draw(); },
  };
};
