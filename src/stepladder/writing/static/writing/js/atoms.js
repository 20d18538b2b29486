// Blocks that the server draws, so that they look while one writes as they will read. What is changed in the margin is drawn anew.
import { atoms, words } from "./schema.js";

const editor = document.querySelector("[data-editor]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const SOON = 250;
const MOST = 100;

const key = (node) => JSON.stringify(node.toJSON());
const drawn = new Map();
const waiting = new Map();
let timer;

// What the page came with: the blocks in the order in which they stand.
export const takeDrawn = (doc) => {
  const html = JSON.parse(document.getElementById("lesson-drawn").textContent);
  let next = 0;
  doc.descendants((node) => { if (atoms.has(node.type.name)) { drawn.set(key(node), html[next]); next += 1; } });
};

const ask = async () => {
  const asked = [...waiting].slice(0, MOST);
  for (const [name] of asked) waiting.delete(name);
  if (!asked.length) return;
  try {
    const answer = await fetch(editor.dataset.draw, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": csrf },
      body: JSON.stringify({ blocks: asked.map(([name]) => JSON.parse(name)) }),
    });
    const said = await answer.json();
    asked.forEach(([name, views], n) => {
      if (answer.ok) drawn.set(name, said.html[n]);
      for (const view of views) view.show(name, answer.ok ? said.html[n] : null, said.says);
    });
  } catch {
    for (const [name, views] of asked) for (const view of views) view.show(name, null, "It is drawn once the line is back.");
  }
  if (waiting.size) timer = setTimeout(ask, SOON);
};

class AtomView {
  constructor(node) {
    this.dom = document.createElement("div");
    this.dom.className = "atom";
    this.dom.dataset.kind = node.type.name;
    // Until it is drawn it has its word: a block without any height could not hold the selection.
    this.dom.textContent = `${words[node.type.name]} …`;
    this.update(node);
  }

  update(node) {
    if (this.node && node.type !== this.node.type) return false;
    this.node = node;
    this.name = key(node);
    this.dom.setAttribute("aria-label", words[node.type.name]);
    if (drawn.has(this.name)) this.show(this.name, drawn.get(this.name));
    else {
      waiting.set(this.name, [...(waiting.get(this.name) ?? []), this]);
      clearTimeout(timer);
      timer = setTimeout(ask, SOON);
    }
    return true;
  }

  show(name, html, trouble) {
    if (name !== this.name) return;
    if (html === null) {
      const line = document.createElement("p");
      line.className = "block-trouble";
      line.textContent = trouble;
      this.dom.replaceChildren(line);
      return;
    }
    this.dom.innerHTML = html;
    // Here a block is chosen, not used: what is in it is reached where it is read.
    for (const part of this.dom.querySelectorAll("a, button, input, select, summary, video, audio, iframe")) part.tabIndex = -1;
    if (this.node.type.name === "page") for (const frame of this.dom.querySelectorAll("iframe")) frame.inert = true;
  }

  stopEvent(event) { return event.type !== "dragstart" && event.type !== "mousedown" && /^(VIDEO|AUDIO)$/.test(event.target.tagName); }

  ignoreMutation() { return true; }
}

export const nodeViews = Object.fromEntries([...atoms].map((name) => [name, (node) => new AtomView(node)]));
