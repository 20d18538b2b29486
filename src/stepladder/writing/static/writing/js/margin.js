// What concerns the chosen block, in the margin: its fields are a template of the page's; what is typed there is in the tree at once.
import { NodeSelection, addColumnAfter, addRowAfter, deleteColumn, deleteRow, deleteTable, isInTable, mergeCells, splitCell, toggleHeaderRow } from "../../web/vendor/prosemirror.min.js";
import { concerned, mark, move, setAttrs, turnInto } from "./commands.js";
import { keepFile, tell } from "./paste.js";
import { schema, words } from "./schema.js";

const panel = document.querySelector("[data-block-panel]");
const head = panel.querySelector("h2");
const place = panel.querySelector("[data-block-form]");
let view;
let shown = null;

const read = (attrs, path) => path.split(".").reduce((value, key) => value?.[key], attrs);
const written = (attrs, path, value) => {
  const [first, ...rest] = path.split(".");
  if (!rest.length) return { ...attrs, [first]: value };
  return { ...attrs, [first]: written(attrs[first] ?? {}, rest.join("."), value) };
};

const valueOf = (field) => {
  if (field.type === "checkbox") return field.checked;
  if (field.type === "number") return Number(field.value) || 0;
  if (field.hasAttribute("data-number")) return Number(field.value);
  if (field.hasAttribute("data-lines")) return field.value.split("\n").map((line) => line.trim()).filter(Boolean);
  if (field.hasAttribute("data-yes")) return field.value === "true";
  return field.value;
};
const fill = (field, value) => {
  if (field.type === "checkbox") field.checked = value ?? field.dataset.default === "true";
  else if (field.hasAttribute("data-lines")) field.value = (value ?? []).join("\n");
  else field.value = value === undefined || value === null ? (field.dataset.default ?? field.value) : String(value);
};

const attrsNow = () => (shown === null ? null : view.state.doc.nodeAt(shown.at)?.attrs);
const change = (path, value) => {
  const attrs = attrsNow();
  if (!attrs) return;
  setAttrs(view, shown.at, written(attrs, path, value));
};

// --- rows: answers, pictures, spots
const drawRows = (rows) => {
  const list = read(attrsNow(), rows.dataset.rows) ?? [];
  const template = rows.querySelector("template");
  const lines = rows.querySelector("[data-lines-of]");
  lines.replaceChildren(...list.map((row, n) => {
    const line = template.content.firstElementChild.cloneNode(true);
    line.dataset.row = String(n);
    for (const text of line.querySelectorAll("[data-row-number]")) text.textContent = String(n + 1);
    for (const field of line.querySelectorAll("[data-field]")) {
      fill(field, row[field.dataset.field]);
      const label = field.dataset.label;
      if (label) field.setAttribute("aria-label", `${label} ${n + 1}`);
    }
    return line;
  }));
  drawBeside(rows);
};
const changeRows = (rows, make) => { change(rows.dataset.rows, make([...(read(attrsNow(), rows.dataset.rows) ?? [])])); drawRows(rows); };

// --- what stands beside a question, or beside one of its answers
const ownerOf = (part) => {
  const beside = part.closest("[data-beside-of]");
  if (beside.dataset.besideOf === "question") return { beside, said: read(attrsNow(), "question") ?? {}, keep: (said) => change("question", said) };
  const n = Number(beside.closest("[data-row]").dataset.row);
  const choices = read(attrsNow(), "question.choices") ?? [];
  return { beside, said: choices[n] ?? {}, keep: (said) => change("question.choices", choices.map((row, at) => (at === n ? said : row))) };
};
const drawBeside = (form) => {
  for (const part of form.querySelectorAll("[data-beside-of]")) {
    const { said } = ownerOf(part);
    part.querySelector("[data-has-picture]").hidden = !said.picture;
    const shows = part.querySelector("[data-shows]");
    shows.hidden = !said.picture;
    if (shows !== document.activeElement) shows.value = said.picture?.shows ?? "";
    part.querySelector("[data-has-media]").hidden = !said.media;
    if (said.picture || said.media) part.closest("details").open = true;
  }
};
const showWith = () => {
  for (const part of place.querySelectorAll("[data-shown-with]")) part.hidden = !attrsNow()?.[part.dataset.shownWith];
};
const setBeside = (part, name, value) => {
  const { said, keep } = ownerOf(part);
  const { [name]: before, ...rest } = said;
  keep(value ? { ...rest, [name]: value } : rest);
  drawBeside(place);
};
const pickBeside = (part, kind) => document.dispatchEvent(new CustomEvent("lesson:pick", { detail: {
  kind,
  done: (version) => setBeside(part, "media", version),
} }));

const rowOf = (rows) => JSON.parse(rows.dataset.newRow);

const showFor = (form) => {
  const kind = form.querySelector("[data-switch]");
  if (!kind) return;
  for (const part of form.querySelectorAll("[data-for]")) part.hidden = !part.dataset.for.split(" ").includes(kind.value);
};

const draw = (block) => {
  const name = block.node.type.name;
  const template = document.querySelector(`template[data-form="${name}"]`) ?? document.querySelector('template[data-form="paragraph"]');
  head.textContent = name === "steps" ? "These steps" : `This ${words[name]}`;
  place.replaceChildren(template.content.cloneNode(true));
  for (const [n, field] of place.querySelectorAll("[data-attr]").entries()) {
    // Labels find their fields by names that are made here: the same template is shown again and again.
    field.id = `block-${n}`;
    field.closest("label, .field")?.querySelector("label")?.setAttribute("for", field.id);
    fill(field, read(block.node.attrs, field.dataset.attr));
  }
  for (const rows of place.querySelectorAll("[data-rows]")) drawRows(rows);
  drawBeside(place);
  showWith();
  showFor(place);
};

// The margin follows what is chosen; while one types in it, it stays as it is.
export const follow = (editorView) => {
  view = editorView;
  const block = concerned(view.state);
  if (!block) return;
  const isSame = shown && shown.at === block.at && shown.type === block.node.type && shown.id === block.node.attrs.id;
  const isTyping = panel.contains(document.activeElement);
  const before = shown;
  shown = { at: block.at, type: block.node.type, id: block.node.attrs.id };
  panel.hidden = false;
  if (!isSame || (!isTyping && before.attrs !== JSON.stringify(block.node.attrs))) draw(block);
  shown.attrs = JSON.stringify(block.node.attrs);
  for (const button of panel.querySelectorAll("[data-mark]")) {
    const type = schema.marks[button.dataset.mark];
    const { from, $from, to, empty } = view.state.selection;
    const isOn = empty ? Boolean(type.isInSet(view.state.storedMarks ?? $from.marks())) : view.state.doc.rangeHasMark(from, to, type);
    button.setAttribute("aria-pressed", String(isOn));
  }
};

panel.addEventListener("input", (event) => {
  const field = event.target;
  const rows = field.closest("[data-rows]");
  if (field.matches("[data-shows]")) {
    const { said } = ownerOf(field);
    setBeside(field, "picture", { ...said.picture, shows: field.value });
  } else if (field.matches("[data-field]")) {
    const n = Number(field.closest("[data-row]").dataset.row);
    const list = (read(attrsNow(), rows.dataset.rows) ?? []).map((row, at) => (at === n ? { ...row, [field.dataset.field]: valueOf(field) }
      // Of one right answer there is one: another tick takes the first away.
      : field.dataset.field === "right" && field.checked && read(attrsNow(), "question.kind") === "one" ? { ...row, right: false } : row));
    change(rows.dataset.rows, list);
    if (field.dataset.field === "right") drawRows(rows);
  } else if (field.matches("[data-attr]")) {
    change(field.dataset.attr, valueOf(field));
    if (field.matches("[data-switch]")) showFor(place);
  }
});

const chooseFile = (accept, multiple = false) => new Promise((resolve) => {
  const input = document.createElement("input");
  Object.assign(input, { type: "file", accept, multiple });
  input.addEventListener("change", () => resolve([...input.files]));
  input.click();
});

const does = {
  add: (button) => changeRows(button.closest("[data-rows]"), (list) => [...list, rowOf(button.closest("[data-rows]"))]),
  "take out": (button) => changeRows(button.closest("[data-rows]"), (list) => list.filter((_, n) => n !== Number(button.closest("[data-row]").dataset.row))),
  up: (button) => changeRows(button.closest("[data-rows]"), (list) => {
    const n = Number(button.closest("[data-row]").dataset.row);
    if (n) list.splice(n - 1, 0, ...list.splice(n, 1));
    return list;
  }),
  picture: async (button) => {
    const [file] = await chooseFile("image/*");
    const prefix = button.dataset.prefix ?? "";
    const kept = await keepFile(file);
    setAttrs(view, shown.at, Object.fromEntries(Object.entries(kept).map(([name, value]) => [prefix + name, value])));
  },
  pictures: async (button) => {
    const rows = button.closest("[data-rows]");
    for (const file of await chooseFile("image/*", true)) {
      const kept = await keepFile(file);
      changeRows(rows, (list) => [...list, { ...rowOf(rows), ...kept }]);
    }
  },
  "picture beside": async (button) => {
    const [file] = await chooseFile("image/*");
    const kept = await keepFile(file);
    setBeside(button, "picture", { file: kept.file, shows: "" });
  },
  "no picture": (button) => setBeside(button, "picture", null),
  "film beside": (button) => pickBeside(button, "film"),
  "sound beside": (button) => pickBeside(button, "sound"),
  "no media": (button) => setBeside(button, "media", null),
  captions: async () => {
    const [file] = await chooseFile(".vtt,.srt,text/vtt");
    setAttrs(view, shown.at, await keepFile(file, { captions: "1" }));
    showWith();
  },
  "no captions": () => { change("captions", ""); showWith(); },
  attach: async () => { const [file] = await chooseFile(""); setAttrs(view, shown.at, await keepFile(file, { attach: "1" })); },
  crop: () => document.dispatchEvent(new CustomEvent("lesson:crop", { detail: { attrs: attrsNow(), done: (kept) => setAttrs(view, shown.at, kept) } })),
  spots: () => document.dispatchEvent(new CustomEvent("lesson:spot", { detail: {
    attrs: attrsNow(),
    done: (spot) => { change("spots", [...(attrsNow().spots ?? []), spot]); for (const rows of place.querySelectorAll("[data-rows]")) drawRows(rows); },
  } })),
  "with spots": () => {
    const { id, file, width, height, shows, is_decoration, caption } = attrsNow();
    const made = schema.nodes.spots.create({ id, file, width, height, shows, is_decoration, caption });
    const tr = view.state.tr.replaceWith(shown.at, shown.at + 1, made);
    view.dispatch(tr.setSelection(NodeSelection.create(tr.doc, shown.at)));
  },
  pick: () => document.dispatchEvent(new CustomEvent("lesson:pick", { detail: {
    kind: shown.type.name,
    done: (version) => setAttrs(view, shown.at, { version, url: "" }),
  } })),
  up_block: () => move(-1)(view.state, view.dispatch),
  down_block: () => move(1)(view.state, view.dispatch),
  remove: () => view.dispatch(view.state.tr.delete(shown.at, shown.at + view.state.doc.nodeAt(shown.at).nodeSize)),
};
const tables = { row: addRowAfter, column: addColumnAfter, "less row": deleteRow, "less column": deleteColumn, heads: toggleHeaderRow, merge: mergeCells, split: splitCell, "no table": deleteTable };

panel.addEventListener("click", async (event) => {
  const button = event.target.closest("button");
  if (!button) return;
  try {
    if (button.dataset.does) await does[button.dataset.does](button);
    else if (button.dataset.mark) { mark(button.dataset.mark)(view.state, view.dispatch); view.focus(); }
    else if (button.dataset.turn) { turnInto[button.dataset.turn](view.state, view.dispatch); view.focus(); }
    else if (button.dataset.tone) change("tone", button.dataset.tone);
    else if (button.dataset.table && isInTable(view.state)) { tables[button.dataset.table](view.state, view.dispatch); view.focus(); }
    else if (button.dataset.ask) askFor(button.dataset.ask);
  } catch (trouble) { tell(trouble.message, true); }
});

// A link or a key term: what it leads to, or means, is asked for beside it.
export const askFor = (name) => {
  const type = schema.marks[name];
  const { from, to, $from, empty } = view.state.selection;
  const there = type.isInSet($from.marks()) ?? type.isInSet(view.state.doc.resolve(to).marks());
  if (empty && !there) { tell("Mark the words first.", true); return; }
  const dialog = document.querySelector(`#ask-${name}`);
  const field = dialog.querySelector("[data-value]");
  const key = name === "link" ? "href" : "meaning";
  field.value = there?.attrs[key] ?? "";
  dialog.querySelector("[data-trouble]").hidden = true;
  const [start, end] = empty ? around(type) : [from, to];
  dialog.querySelector("[data-set]").onclick = (event) => {
    event.preventDefault();
    let value = field.value.trim();
    if (name === "link" && value && !/^(https?:\/\/|mailto:)\S+$/i.test(value)) {
      value = /^[\w-]+(\.[\w-]+)+(\/\S*)?$/.test(value) ? `https://${value}` : "";
      if (!value) { dialog.querySelector("[data-trouble]").hidden = false; return; }
    }
    dialog.close();
    const tr = view.state.tr.removeMark(start, end, type);
    if (value || name === "term") tr.addMark(start, end, type.create({ [key]: value }));
    view.dispatch(tr);
    view.focus();
  };
  dialog.querySelector("[data-unset]").onclick = () => { dialog.close(); view.dispatch(view.state.tr.removeMark(start, end, type)); view.focus(); };
  dialog.showModal();
};
const around = (type) => {
  const { $from } = view.state.selection;
  let [start, end] = [$from.pos, $from.pos];
  $from.parent.forEach((node, offset) => {
    const at = $from.start() + offset;
    if (type.isInSet(node.marks) && at <= $from.pos && at + node.nodeSize >= $from.pos) { start = Math.min(start, at); end = Math.max(end, at + node.nodeSize); }
  });
  return [start, end];
};
