// A document that one scrolls through: a page counts once half of it, or half of the window, was in view for two seconds at a
// stretch. What counts is decided by the server; here it is watched, sent, and said why a page does not count yet.
const IN_VIEW = 0.5;
const LONG_ENOUGH = 2;
const reader = document.querySelector("[data-pages]");
const stage = document.querySelector("[data-player]");
const box = reader.querySelector("[data-box]");
const frame = reader.querySelector("[data-page-frame]");
const word = reader.dataset.word;

const counted = new Set((reader.dataset.counted || "").split(",").filter(Boolean).map(Number));
const passed = new Set();
const inView = new Map();
const pending = [];
// None until the document is opened: what a visit before left to be told may be answered earlier.
let count = 0;
let now = 0;
let openSince = Date.now();

const seconds = (since) => (Date.now() - since) / 1000;

// --- what counts
// Time counts while the page is in view; where nothing happened for five minutes one is away, and these five still count.
const IDLE = 300000;
let happened = Date.now();
for (const kind of ["pointermove", "keydown", "scroll", "touchstart", "wheel"]) {
  document.addEventListener(kind, () => {
    const moment = Date.now();
    // Whoever comes back after being away begins anew.
    if (moment - happened > IDLE && !document.hidden) { send(true); openSince = moment; }
    happened = moment;
  }, { passive: true, capture: true });
}
const send = (leaving = false) => {
  const until = Math.min(Date.now(), happened + IDLE);
  const spent = document.hidden && !leaving ? 0 : Math.min(Math.max(0, Math.round((until - openSince) / 100) / 10), 600);
  // Without news time is told once a minute, so that none is lost.
  if (!pending.length && !leaving && spent < 60) return;
  const news = pending.splice(0);
  openSince = Date.now();
  stage.report({ pages: news, at: now || 1, seconds: spent }, leaving);
};

const enough = (page) => {
  const began = inView.get(page);
  if (!began || document.hidden) return;
  pending.push([page, Math.max(seconds(began.at), LONG_ENOUGH)]);
  passed.delete(page);
  // Who tries a module sees what would count.
  if (!stage.dataset.report) { counted.add(page); say(); }
  send();
};

const enter = (page) => {
  if (inView.has(page)) return;
  inView.set(page, { at: Date.now(), timer: setTimeout(enough, LONG_ENOUGH * 1000, page) });
};

const leave = (page) => {
  const began = inView.get(page);
  if (!began) return;
  clearTimeout(began.timer);
  inView.delete(page);
  if (seconds(began.at) < LONG_ENOUGH && !counted.has(page)) { passed.add(page); say(); }
};

// Seen only while the window is: behind another tab nothing counts, and the two seconds begin anew.
document.addEventListener("visibilitychange", () => {
  const pages = [...inView.keys()];
  if (document.hidden) { for (const page of pages) clearTimeout(inView.get(page).timer); send(true); inView.clear(); }
  else { openSince = Date.now(); if (frame) enter(now); else if (count) look(); }
});

// --- what is said of it
const runs = (pages) => {
  const found = [];
  for (const page of [...pages].sort((a, b) => a - b)) {
    if (found.length && found.at(-1)[1] === page - 1) found.at(-1)[1] = page;
    else found.push([page, page]);
  }
  return found;
};
const links = (place, pages) => {
  place.replaceChildren();
  for (const [n, [first, last]] of runs(pages).entries()) {
    const link = document.createElement("button");
    link.type = "button";
    link.className = "verb";
    link.dataset.page = String(first);
    link.textContent = first === last ? String(first) : `${first}–${last}`;
    place.append(n ? ", " : "", link);
  }
};
const say = () => {
  if (!count) return;
  const all = Array.from({ length: count }, (_, n) => n + 1);
  reader.querySelector("[data-counted-text]").textContent = String(counted.size);
  const quick = all.filter((page) => passed.has(page) && !counted.has(page));
  const waiting = all.filter((page) => !passed.has(page) && !counted.has(page));
  for (const [name, pages] of [["quick", quick], ["waiting", waiting]]) {
    const line = reader.querySelector(`[data-${name}]`);
    line.hidden = pages.length === 0;
    links(line.querySelector("[data-list]"), pages);
  }
  for (const mark of reader.querySelectorAll("[data-mark]")) mark.classList.toggle("is-counted", counted.has(Number(mark.dataset.mark)));
};
document.addEventListener("reported", (event) => {
  for (const page of event.detail.pages ?? []) counted.add(page);
  say();
});

// --- the pages: there already, in a frame that says which one it shows, or drawn from a PDF
const numbered = (sheet, number) => {
  const mark = document.createElement("span");
  mark.className = "page-mark fig";
  mark.dataset.mark = String(number);
  mark.textContent = String(number);
  sheet.append(mark);
  return sheet;
};
const sheets = [...reader.querySelectorAll("[data-number]")].map((sheet) => numbered(sheet, sheet.dataset.number));
const file = reader.dataset.source ? await openPdf() : null;
count = frame ? Number(frame.dataset.count) : sheets.length;

async function openPdf() {
  const pdf = await import(reader.dataset.lib);
  pdf.GlobalWorkerOptions.workerSrc = reader.dataset.worker;
  const opened = await pdf.getDocument({ url: reader.dataset.source, isEvalSupported: false, enableXfa: false }).promise;
  const bare = (await opened.getPage(1)).getViewport({ scale: 1 });
  for (let number = 1; number <= opened.numPages; number += 1) {
    const sheet = document.createElement("div");
    sheet.className = "pdf-page";
    sheet.dataset.number = String(number);
    sheet.style.aspectRatio = `${bare.width} / ${bare.height}`;
    const canvas = document.createElement("canvas");
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", `Page ${number} of ${opened.numPages}; as text below`);
    sheet.append(canvas);
    sheets.push(numbered(sheet, number));
  }
  box.replaceChildren(...sheets);
  return opened;
}

// Drawn as they come near and let go of as they are far.
const drawings = new Map();
const draw = async (sheet) => {
  const page = await file.getPage(Number(sheet.dataset.number));
  const plain = page.getViewport({ scale: 1 });
  sheet.style.aspectRatio = `${plain.width} / ${plain.height}`;
  const view = page.getViewport({ scale: (sheet.clientWidth / plain.width) * Math.min(window.devicePixelRatio, 2) });
  const canvas = sheet.querySelector("canvas");
  drawings.get(sheet)?.cancel();
  canvas.width = view.width;
  canvas.height = view.height;
  const task = page.render({ canvasContext: canvas.getContext("2d"), viewport: view });
  drawings.set(sheet, task);
  task.promise.catch((error) => { if (error.name !== "RenderingCancelledException") throw error; });
};
if (file) {
  const near = new IntersectionObserver((seen) => {
    for (const { target, isIntersecting } of seen) {
      if (isIntersecting) draw(target);
      else if (drawings.delete(target)) [target.querySelector("canvas").width, target.querySelector("canvas").height] = [1, 1];
    }
  }, { root: box, rootMargin: "1200px" });
  for (const sheet of sheets) near.observe(sheet);
}

// --- where one is
const showText = async (number) => {
  const place = reader.querySelector("[data-text]");
  if (!place?.closest("details").open) return;
  const text = await (await file.getPage(number)).getTextContent();
  place.textContent = text.items.map((item) => item.str + (item.hasEOL ? "\n" : "")).join("");
};
reader.querySelector("[data-text]")?.closest("details").addEventListener("toggle", () => showText(now));

const look = () => {
  const frame = box.getBoundingClientRect();
  let [most, page] = [0, now || 1];
  for (const sheet of sheets) {
    const at = sheet.getBoundingClientRect();
    const top = Math.max(at.top, frame.top, 0);
    const seen = Math.min(at.bottom, frame.bottom, window.innerHeight) - top;
    const number = Number(sheet.dataset.number);
    if (seen > most) [most, page] = [seen, number];
    if (seen >= Math.min(at.height, Math.min(frame.height, window.innerHeight)) * IN_VIEW) enter(number);
    else leave(number);
  }
  if (page === now) return;
  now = page;
  reader.querySelector("[data-page-now]").textContent = String(now);
  reader.querySelector('[data-turn="-1"]').disabled = now === 1;
  reader.querySelector('[data-turn="1"]').disabled = now === sheets.length;
  showText(now);
  stage.follow();
};
let waiting = false;
const soon = () => {
  if (waiting) return;
  waiting = true;
  requestAnimationFrame(() => { waiting = false; look(); });
};
const go = (number) => {
  const sheet = sheets[Math.min(Math.max(number, 1), sheets.length) - 1];
  box.scrollTo({ top: sheet.offsetTop - sheets[0].offsetTop });
};
reader.addEventListener("click", (event) => {
  const turn = event.target.closest("[data-turn]");
  if (turn) go(now + Number(turn.dataset.turn));
  const link = event.target.closest("button[data-page]");
  if (link && !frame) go(Number(link.dataset.page));
});
document.addEventListener("keydown", (event) => {
  if (frame || !stage.isFree(event)) return;
  const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
  if (way) { event.preventDefault(); go(now + way); }
  else if (event.key === "PageDown" || event.key === "PageUp") {
    // As a reader of paper turns: most of a window on, so that no line is lost.
    event.preventDefault();
    box.scrollBy({ top: (event.key === "PageDown" ? 0.9 : -0.9) * box.clientHeight });
  }
});
window.addEventListener("pagehide", () => send(true));
setInterval(send, 5000);

stage.where = () => ({ place: now || 1, words: `${word} ${now || 1}` });
if (frame) {
  // The frame is of another origin: it says itself which of its pages is there, and nothing else is believed of it.
  window.addEventListener("message", (event) => {
    const number = event.data?.number;
    if (event.source !== frame.contentWindow || event.origin !== frame.dataset.origin || event.data?.type !== "page") return;
    if (!Number.isInteger(number) || number < 1 || number > count) return;
    for (const page of [...inView.keys()]) leave(page);
    now = number;
    enter(number);
    stage.follow();
  });
  say();
} else {
  box.addEventListener("scroll", soon, { passive: true });
  window.addEventListener("scroll", soon, { passive: true });
  window.addEventListener("resize", () => { for (const sheet of drawings.keys()) draw(sheet); soon(); });
  stage.go = go;
  say();
  go(Number(reader.dataset.at) || 1);
  look();
}
