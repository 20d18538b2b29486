// Draws a package's PDF page by page, each when it comes near the window.
import * as pdf from "/run/lib/pdf.min.mjs";

pdf.GlobalWorkerOptions.workerSrc = "/run/lib/pdf.worker.min.mjs";
const says = document.getElementById("says");
const pages = document.getElementById("pages");
try {
  const file = await pdf.getDocument({ url: "?bytes", isEvalSupported: false, enableXfa: false }).promise;
  says.textContent = `has ${file.numPages} ${file.numPages === 1 ? "page" : "pages"}`;
  const first = (await file.getPage(1)).getViewport({ scale: 1 });
  const draw = async (canvas) => {
    const page = await file.getPage(Number(canvas.dataset.page));
    const bare = page.getViewport({ scale: 1 });
    const view = page.getViewport({ scale: (canvas.clientWidth / bare.width) * window.devicePixelRatio });
    canvas.width = view.width;
    canvas.height = view.height;
    canvas.style.aspectRatio = `${view.width} / ${view.height}`;
    await page.render({ canvasContext: canvas.getContext("2d"), viewport: view }).promise;
  };
  const near = new IntersectionObserver((seen) => {
    for (const { target, isIntersecting } of seen) if (isIntersecting) { near.unobserve(target); draw(target); }
  }, { rootMargin: "600px" });
  for (let number = 1; number <= file.numPages; number += 1) {
    const canvas = document.createElement("canvas");
    canvas.dataset.page = String(number);
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", `Page ${number} of ${file.numPages}`);
    canvas.style.aspectRatio = `${first.width} / ${first.height}`;
    pages.append(canvas);
    near.observe(canvas);
  }
} catch (error) {
  says.textContent = `could not be drawn (${error.message}). Keep it, and open it with another program.`;
}
