// The rules of a lesson's tree, made of the very table that the server checks against; and how each block looks while it is written.
import { Schema } from "../../web/vendor/prosemirror.min.js";

const said = JSON.parse(document.getElementById("lesson-schema").textContent);
export const words = said.words;
export const toneWords = JSON.parse(document.getElementById("tone-words").textContent);

const plain = (tag) => ({ toDOM: () => [tag, 0], parseDOM: [{ tag }] });
const spans = (node) => ({
  ...(node.attrs.colspan > 1 && { colspan: node.attrs.colspan }),
  ...(node.attrs.rowspan > 1 && { rowspan: node.attrs.rowspan }),
});
const span = (cell) => ({ colspan: Number(cell.getAttribute("colspan")) || 1, rowspan: Number(cell.getAttribute("rowspan")) || 1 });
const still = { contenteditable: "false" };

const looks = {
  break: { toDOM: () => ["br"], parseDOM: [{ tag: "br" }] },
  paragraph: { toDOM: () => ["p", 0], parseDOM: [{ tag: "p.step-title", node: "step_title", priority: 60 }, { tag: "p" }] },
  heading: {
    toDOM: (node) => [node.attrs.level === 1 ? "h3" : "h4", 0],
    parseDOM: [
      ...["h1", "h2", "h3"].map((tag) => ({ tag, attrs: { level: 1 } })),
      ...["h4", "h5", "h6"].map((tag) => ({ tag, attrs: { level: 2 } })),
    ],
  },
  bullets: plain("ul"),
  numbers: {
    toDOM: (node) => ["ol", { start: node.attrs.start }, 0],
    parseDOM: [{ tag: "ol", getAttrs: (list) => ({ start: Math.max(1, Number(list.getAttribute("start")) || 1) }) }],
  },
  item: plain("li"),
  quote: {
    toDOM: (node) => ["blockquote", ["div", 0], ...(node.attrs.source ? [["cite", still, node.attrs.source]] : [])],
    parseDOM: [{ tag: "blockquote" }],
  },
  note: {
    toDOM: (node) => ["div", { class: `lesson-note is-${node.attrs.tone}`, "data-tone": node.attrs.tone },
      ["p", { class: "tone", ...still }, toneWords[node.attrs.tone]], ["div", { class: "holds" }, 0]],
    parseDOM: [{ tag: "div.lesson-note", contentElement: "div.holds", getAttrs: (div) => ({ tone: div.dataset.tone || "mind" }) }],
  },
  table: {
    toDOM: (node) => ["table", ...(node.attrs.caption ? [["caption", still, node.attrs.caption]] : []), ["tbody", 0]],
    parseDOM: [{ tag: "table" }],
  },
  row: plain("tr"),
  cell: { toDOM: (node) => ["td", spans(node), 0], parseDOM: [{ tag: "td", getAttrs: span }] },
  head_cell: { toDOM: (node) => ["th", spans(node), 0], parseDOM: [{ tag: "th", getAttrs: span }] },
  listing: { toDOM: () => ["pre", ["code", 0]], parseDOM: [{ tag: "pre", preserveWhitespace: "full" }] },
  fold_out: {
    toDOM: (node) => ["div", { class: "lesson-fold is-written", "data-title": node.attrs.title },
      ["p", { class: "fold-title", ...still }, node.attrs.title || "More"], ["div", { class: "holds" }, 0]],
    parseDOM: [
      { tag: "div.lesson-fold", contentElement: "div.holds", getAttrs: (div) => ({ title: div.dataset.title || "" }) },
    ],
  },
  steps: { toDOM: () => ["ol", { class: "lesson-steps" }, 0], parseDOM: [{ tag: "ol.lesson-steps", priority: 60 }] },
  step: { toDOM: () => ["li", { class: "lesson-step" }, 0], parseDOM: [{ tag: "li.lesson-step", priority: 60 }] },
  step_title: { toDOM: () => ["p", { class: "step-title" }, 0] },
  line: { toDOM: () => ["hr"], parseDOM: [{ tag: "hr" }] },
};

// What has no words of its own in the tree is drawn by the server (atoms.js); copied, it carries its attributes.
const atom = (name) => ({
  toDOM: (node) => ["div", { "data-atom": name, "data-attrs": JSON.stringify(node.attrs) }],
  parseDOM: [{ tag: `div[data-atom="${name}"]`, getAttrs: (div) => { try { return JSON.parse(div.dataset.attrs); } catch { return false; } } }],
});

const safe = /^(https?:\/\/|mailto:)\S+$/i;
const marks = {
  strong: { toDOM: () => ["strong", 0], parseDOM: [{ tag: "strong" }, { tag: "b" }] },
  em: { toDOM: () => ["em", 0], parseDOM: [{ tag: "em" }, { tag: "i" }] },
  code: plain("code"),
  sub: plain("sub"),
  sup: plain("sup"),
  link: {
    toDOM: (mark) => ["a", { href: mark.attrs.href, rel: "noopener noreferrer" }, 0],
    parseDOM: [{ tag: "a[href]", getAttrs: (a) => safe.test(a.getAttribute("href")) && { href: a.getAttribute("href") } }],
  },
  term: {
    toDOM: (mark) => ["dfn", { class: "term", title: mark.attrs.meaning, "data-meaning": mark.attrs.meaning }, 0],
    parseDOM: [{ tag: "dfn", getAttrs: (dfn) => ({ meaning: dfn.dataset.meaning ?? "" }) }],
  },
};

export const atoms = new Set(said.nodes.filter(([, rules]) => rules.atom && rules.draggable).map(([name]) => name));
const nodes = said.nodes.map(([name, rules]) => [name, { ...rules, ...(atoms.has(name) ? atom(name) : looks[name]) }]);
export const schema = new Schema({
  nodes: Object.fromEntries(nodes),
  marks: Object.fromEntries(said.marks.map(([name, rules]) => [name, { ...rules, ...marks[name] }])),
});

export const newName = () => Array.from(crypto.getRandomValues(new Uint8Array(6)), (byte) => byte.toString(16).padStart(2, "0")).join("");
