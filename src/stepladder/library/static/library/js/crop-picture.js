// A picture of one's own is cropped before it is sent: dragged, moved by keys, brought nearer. What is sent is the picture itself
// and the part of it that was chosen; the server cuts it.
for (const form of document.querySelectorAll("[data-crop]")) {
  const canvas = form.querySelector("canvas");
  const zoom = form.querySelector("[data-crop-zoom]");
  const trouble = form.querySelector("[data-crop-trouble]");
  const ratio = canvas.width / canvas.height;
  let image = null;
  // The part that is shown, in pixels of the picture.
  const part = { x: 0, y: 0, width: 0 };

  const widest = () => Math.min(image.naturalWidth, image.naturalHeight * ratio);

  const draw = () => {
    part.width = widest() / Number(zoom.value);
    part.x = Math.min(Math.max(part.x, 0), image.naturalWidth - part.width);
    part.y = Math.min(Math.max(part.y, 0), image.naturalHeight - part.width / ratio);
    canvas.getContext("2d").drawImage(image, part.x, part.y, part.width, part.width / ratio, 0, 0, canvas.width, canvas.height);
    form.elements.crop.value = [part.x / image.naturalWidth, part.y / image.naturalHeight, part.width / image.naturalWidth].join(",");
  };

  const move = (x, y) => {
    const scale = part.width / canvas.clientWidth;
    part.x -= x * scale;
    part.y -= y * scale;
    draw();
  };

  form.elements.picture.addEventListener("change", () => {
    const [file] = form.elements.picture.files;
    trouble.hidden = true;
    form.elements.crop.value = "";
    form.querySelector("[data-crop-stage]").hidden = true;
    if (!file) return;
    const made = new Image();
    made.addEventListener("load", () => {
      image = made;
      zoom.value = "1";
      part.width = widest();
      part.x = (image.naturalWidth - part.width) / 2;
      part.y = (image.naturalHeight - part.width / ratio) / 2;
      form.querySelector("[data-crop-stage]").hidden = false;
      draw();
    });
    made.addEventListener("error", () => {
      // HEIC and TIFF are no pictures for many browsers; the server reads them.
      trouble.textContent = "This browser cannot show it, so its middle will be taken. You can send it all the same.";
      trouble.hidden = false;
    });
    made.src = URL.createObjectURL(file);
  });

  zoom.addEventListener("input", () => {
    const before = part.width;
    const middle = { x: part.x + before / 2, y: part.y + before / ratio / 2 };
    part.width = widest() / Number(zoom.value);
    part.x = middle.x - part.width / 2;
    part.y = middle.y - part.width / ratio / 2;
    draw();
  });

  canvas.addEventListener("pointerdown", (event) => canvas.setPointerCapture(event.pointerId));
  canvas.addEventListener("pointermove", (event) => {
    if (image && event.buttons) move(event.movementX, event.movementY);
  });
  canvas.addEventListener("keydown", (event) => {
    const step = { ArrowLeft: [12, 0], ArrowRight: [-12, 0], ArrowUp: [0, 12], ArrowDown: [0, -12] }[event.key];
    if (!image || !step) return;
    event.preventDefault();
    move(...step);
  });
}
