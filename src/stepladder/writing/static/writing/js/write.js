// The sheet on which a lesson is written: the editor, the row of words to insert by, the handle, what is read in place.
import { Decoration, DecorationSet, EditorState, EditorView, NodeSelection, Plugin, dropCursor, gapCursor, tableEditing } from "../../web/vendor/prosemirror.min.js";
import { nodeViews, takeDrawn } from "./atoms.js";
import { chosen, insert, plugins } from "./commands.js";
import { askFor, follow } from "./margin.js";
import { insertPicture, keepFile, pasting, tell } from "./paste.js";
import { begin, isUnsaved, save, touched } from "./saving.js";
import { schema, words } from "./schema.js";

const editor = document.querySelector("[data-editor]");
const handle = document.querySelector("[data-handle]");
const rowTemplate = document.querySelector("template[data-insert-row]");
let isRowOpen = false;
let view = null;

// --- the row of words: below an empty text or a chosen block, or where it is asked for
const makeRow = () => {
  const row = rowTemplate.content.firstElementChild.cloneNode(true);
  row.addEventListener("mousedown", (event) => event.preventDefault());
  row.addEventListener("click", async (event) => {
    const button = event.target.closest("button");
    if (!button) return;
    isRowOpen = false;
    if (button.dataset.insert === "picture") choosePictures();
    else { insert(button.dataset.insert)(view.state, view.dispatch); view.focus(); }
  });
  row.addEventListener("keydown", (event) => {
    const all = [...row.querySelectorAll("button")];
    const at = all.indexOf(document.activeElement);
    const way = { ArrowRight: 1, ArrowLeft: -1 }[event.key];
    if (way) { event.preventDefault(); all[(at + way + all.length) % all.length].focus(); }
    if (event.key === "Escape") { event.preventDefault(); isRowOpen = false; view.focus(); view.dispatch(view.state.tr); }
    event.stopPropagation();
  });
  return row;
};
const choosePictures = () => {
  const input = document.createElement("input");
  Object.assign(input, { type: "file", accept: "image/*", multiple: true });
  input.addEventListener("change", () => { for (const file of input.files) insertPicture(view, file); view.focus(); });
  input.click();
};
const rows = new Plugin({
  props: {
    decorations(state) {
      const block = chosen(state);
      if (!block || !view?.editable) return null;
      const isEmpty = block.node.type.name === "paragraph" && !block.node.content.size;
      const marks = [Decoration.node(block.at, block.at + block.node.nodeSize, { class: "is-chosen" })];
      if (isRowOpen || isEmpty || state.selection instanceof NodeSelection) {
        marks.push(Decoration.widget(block.at + block.node.nodeSize, makeRow, { key: `row-${block.at}-${isRowOpen}`, side: 1, stopEvent: () => true, ignoreSelection: true }));
      }
      return DecorationSet.create(state.doc, marks);
    },
  },
});
const openRow = (state, dispatch, current) => {
  isRowOpen = true;
  dispatch(state.tr);
  current.dom.querySelector(".insert-row button")?.focus();
  return true;
};

// --- the editor
takeDrawn(schema.nodeFromJSON(JSON.parse(document.getElementById("lesson-tree").textContent)));
const keys = { "Mod-Enter": openRow, "Mod-k": () => { askFor("link"); return true; }, Escape: (state, dispatch) => { isRowOpen = false; dispatch(state.tr); return true; } };
view = new EditorView(editor, {
  state: EditorState.create({
    doc: schema.nodeFromJSON(JSON.parse(document.getElementById("lesson-tree").textContent)),
    plugins: [rows, pasting, ...plugins(keys), tableEditing(), dropCursor({ class: "drop-line", color: false }), gapCursor()],
  }),
  nodeViews,
  attributes: { "aria-label": "The section", role: "textbox", "aria-multiline": "true" },
  dispatchTransaction(tr) {
    view.updateState(view.state.apply(tr));
    if (tr.docChanged && !tr.getMeta("theirs")) touched();
    if (tr.selectionSet && !tr.docChanged && isRowOpen && !editor.querySelector(".insert-row:focus-within")) isRowOpen = false;
    follow(view);
    placeHandle();
  },
});
editor.removeAttribute("data-loading");
begin(view);
follow(view);

// --- the handle of two rungs: takes the block, moves it; what it is stands beside it
function placeHandle() {
  const block = chosen(view.state);
  const dom = block && view.nodeDOM(block.at);
  handle.hidden = !dom?.getBoundingClientRect || !view.editable;
  if (handle.hidden) return;
  const at = dom.getBoundingClientRect();
  handle.style.top = `${at.top - editor.parentElement.getBoundingClientRect().top}px`;
  handle.querySelector("[data-handle-word]").textContent = words[block.node.type.name];
}
handle.addEventListener("click", () => {
  const block = chosen(view.state);
  if (block && NodeSelection.isSelectable(block.node)) view.dispatch(view.state.tr.setSelection(NodeSelection.create(view.state.doc, block.at)));
  view.focus();
});
handle.addEventListener("dragstart", (event) => {
  const block = chosen(view.state);
  if (!block) return;
  view.dispatch(view.state.tr.setSelection(NodeSelection.create(view.state.doc, block.at)));
  const slice = view.state.selection.content();
  event.dataTransfer.effectAllowed = "move";
  event.dataTransfer.setData("text/html", view.nodeDOM(block.at)?.outerHTML ?? "");
  view.dragging = { slice, move: true };
});
new ResizeObserver(placeHandle).observe(editor);

// --- how wide, and how it reads, without leaving
const lesson = document.querySelector("[data-lesson-width]");
for (const radio of document.querySelectorAll("[data-width]")) {
  radio.addEventListener("change", () => { lesson.dataset.lessonWidth = radio.value; placeHandle(); });
}
const reading = document.querySelector("[data-reading]");
const toggle = document.querySelector("[data-read-here]");
toggle.addEventListener("click", async (event) => {
  event.preventDefault();
  const isReading = !reading.hidden;
  if (!isReading) {
    await save();
    if (isUnsaved()) { tell("Save it first: what is read is what was saved.", true); return; }
    await window.htmx.ajax("GET", toggle.href, { target: "[data-reading]", swap: "innerHTML" });
    document.dispatchEvent(new CustomEvent("lesson:shown"));
  }
  reading.hidden = isReading;
  document.querySelector("[data-writing]").hidden = !isReading;
  toggle.textContent = isReading ? "Read it as a learner" : "Write on";
});

// --- around the sheet: what is missing, key terms, minutes
document.addEventListener("lesson:saved", () => window.htmx.ajax("GET", editor.dataset.around, { target: "#around-index", swap: "outerHTML" }));
document.addEventListener("click", (event) => {
  const link = event.target.closest("[data-go-block]");
  if (!link || link.dataset.goSection !== editor.dataset.section) return;
  event.preventDefault();
  view.state.doc.forEach((node, at) => {
    if (node.attrs.id !== link.dataset.goBlock) return;
    view.dispatch(view.state.tr.setSelection(NodeSelection.create(view.state.doc, at)).scrollIntoView());
    view.focus();
  });
});

// --- dialogs: a film or document of the library, a part of a picture, a spot on one
document.addEventListener("lesson:pick", (event) => {
  const dialog = document.querySelector("#pick");
  const { kind, done } = event.detail;
  dialog.querySelector("[name=kind]").value = kind;
  window.htmx.trigger(dialog.querySelector("form"), "pick");
  dialog.onclick = (click) => {
    const button = click.target.closest("[data-version]");
    if (!button) return;
    done(button.dataset.version);
    dialog.close();
    view.focus();
  };
  dialog.showModal();
});
const onPicture = (dialog, attrs) => {
  dialog.querySelector(".on-picture img")?.remove();
  const img = document.createElement("img");
  img.src = editor.dataset.pictures.replace("0".repeat(64), attrs.file);
  img.alt = attrs.shows;
  dialog.querySelector(".on-picture").prepend(img);
  dialog.showModal();
};
document.addEventListener("lesson:crop", (event) => {
  const dialog = document.querySelector("#crop");
  const { attrs, done } = event.detail;
  if (!attrs.file) { tell("Choose a picture first.", true); return; }
  const fields = ["left", "top", "width", "height"].map((name) => dialog.querySelector(`[name=${name}]`));
  const box = dialog.querySelector("[data-crop-box]");
  const show = () => { const [x, y, w, h] = fields.map((field) => Number(field.value)); Object.assign(box.style, { left: `${x}%`, top: `${y}%`, width: `${Math.min(w, 100 - x)}%`, height: `${Math.min(h, 100 - y)}%` }); };
  fields.forEach((field, n) => { field.value = n < 2 ? "0" : "100"; field.oninput = show; });
  show();
  dialog.querySelector("[data-set]").onclick = async () => {
    const part = fields.map((field) => Number(field.value) / 100).join(",");
    try { done(await keepFile(null, { crop: attrs.file, part })); dialog.close(); } catch (trouble) { tell(trouble.message, true); }
  };
  onPicture(dialog, attrs);
});
document.addEventListener("lesson:spot", (event) => {
  const dialog = document.querySelector("#spot");
  const { attrs, done } = event.detail;
  if (!attrs.file) { tell("Choose a picture first.", true); return; }
  const [across, down] = ["across", "down"].map((name) => dialog.querySelector(`[name=${name}]`));
  const dot = dialog.querySelector("[data-dot]");
  const show = () => Object.assign(dot.style, { left: `${across.value}%`, top: `${down.value}%` });
  for (const field of [across, down]) { field.value = "50"; field.oninput = show; }
  dialog.querySelector("[data-on-picture]").onclick = (click) => {
    const at = click.currentTarget.getBoundingClientRect();
    across.value = String(Math.round(((click.clientX - at.left) / at.width) * 1000) / 10);
    down.value = String(Math.round(((click.clientY - at.top) / at.height) * 1000) / 10);
    show();
  };
  dialog.querySelector("[data-set]").onclick = () => {
    const name = dialog.querySelector("[name=spot_title]");
    done({ x: Number(across.value) / 100, y: Number(down.value) / 100, title: name.value, text: "" });
    name.value = "";
    dialog.close();
  };
  show();
  onPicture(dialog, attrs);
});
