// What keys and words do to the tree.
import {
  NodeSelection, Plugin, Selection, TextSelection, baseKeymap, chainCommands, createParagraphNear, exitCode, goToNextCell, history,
  inputRules, InputRule, keymap, lift, liftListItem, newlineInCode, redo, setBlockType, sinkListItem, splitBlock, splitListItem,
  textblockTypeInputRule, toggleMark, undo, wrapIn, wrapInList, wrappingInputRule, liftEmptyBlock,
} from "../../web/vendor/prosemirror.min.js";
import { newName, schema } from "./schema.js";

const { nodes, marks } = schema;
const STEPS_BACK = 1000;

// The block of the section that the selection is in: where it begins, and what it is.
export const chosen = (state) => {
  const { $from } = state.selection;
  if (state.selection instanceof NodeSelection && $from.depth === 0) return { at: state.selection.from, node: state.selection.node };
  return $from.depth ? { at: $from.before(1), node: $from.node(1) } : null;
};

// The innermost block with attributes of its own that the selection is in, or that is chosen: what the margin is about.
export const concerned = (state) => {
  const { selection } = state;
  if (selection instanceof NodeSelection) return { at: selection.from, node: selection.node };
  const { $from } = selection;
  for (let depth = $from.depth; depth > 0; depth -= 1) {
    if (/^(note|fold_out|quote|table|listing|heading|steps|bullets|numbers)$/.test($from.node(depth).type.name)) {
      return { at: $from.before(depth), node: $from.node(depth) };
    }
  }
  return $from.depth ? { at: $from.before(1), node: $from.node(1) } : null;
};

export const move = (way) => (state, dispatch) => {
  const block = chosen(state);
  if (!block) return false;
  const index = state.doc.resolve(block.at).index(0);
  const to = index + way;
  if (to < 0 || to >= state.doc.childCount) return true;
  if (!dispatch) return true;
  const other = state.doc.child(to);
  const isNode = state.selection instanceof NodeSelection;
  const inside = state.selection.from - block.at;
  const tr = state.tr.delete(block.at, block.at + block.node.nodeSize);
  const at = way < 0 ? block.at - other.nodeSize : block.at + other.nodeSize;
  tr.insert(at, block.node);
  tr.setSelection(isNode ? NodeSelection.create(tr.doc, at) : Selection.near(tr.doc.resolve(at + inside)));
  dispatch(tr.scrollIntoView());
  return true;
};

const text = (words) => (words ? schema.text(words) : undefined);
const paragraph = (words = "") => nodes.paragraph.create({ id: newName() }, text(words));
const cell = (type) => type.create(null, paragraph());
const row = (type) => nodes.row.create(null, [cell(type), cell(type), cell(type)]);
const fresh = {
  text: () => paragraph(),
  heading: () => nodes.heading.create({ id: newName(), level: 1 }),
  list: () => nodes.bullets.create({ id: newName() }, nodes.item.create(null, paragraph())),
  quote: () => nodes.quote.create({ id: newName() }, paragraph()),
  note: () => nodes.note.create({ id: newName() }, paragraph()),
  table: () => nodes.table.create({ id: newName() }, [row(nodes.head_cell), row(nodes.cell), row(nodes.cell)]),
  listing: () => nodes.listing.create({ id: newName() }),
  check: () => nodes.check.create({ id: newName(), question: { kind: "one", text: "", choices: [1, 2].map(() => ({ text: "", right: false, feedback: "" })) } }),
  fold_out: () => nodes.fold_out.create({ id: newName() }, paragraph()),
  steps: () => nodes.steps.create({ id: newName() }, [1, 2].map(() => nodes.step.create(null, nodes.step_title.create()))),
};

// Put a new block behind the chosen one; an empty paragraph gives it its place.
export const insert = (name, attrs = {}) => (state, dispatch) => {
  const block = chosen(state);
  const made = fresh[name] ? fresh[name]() : nodes[name].create({ id: newName(), ...attrs });
  const end = block ? block.at + block.node.nodeSize : state.doc.content.size;
  const isEmpty = block && block.node.type === nodes.paragraph && !block.node.content.size;
  const at = isEmpty ? block.at : end;
  if (!dispatch) return true;
  let tr = isEmpty ? state.tr.replaceWith(block.at, end, made) : state.tr.insert(end, made);
  // Behind the last block that takes no words there is a place to write on.
  if (made.isAtom && at + made.nodeSize >= tr.doc.content.size) tr = tr.insert(tr.doc.content.size, paragraph());
  tr.setSelection(made.isAtom ? NodeSelection.create(tr.doc, at) : Selection.near(tr.doc.resolve(at + 1)));
  dispatch(tr.scrollIntoView());
  return true;
};

export const setAttrs = (view, at, attrs) => {
  const node = view.state.doc.nodeAt(at);
  if (!node) return;
  const tr = view.state.tr.setNodeMarkup(at, null, { ...node.attrs, ...attrs });
  if (view.state.selection instanceof NodeSelection && view.state.selection.from === at) tr.setSelection(NodeSelection.create(tr.doc, at));
  view.dispatch(tr);
};

export const turnInto = {
  text: setBlockType(nodes.paragraph),
  heading: setBlockType(nodes.heading, { level: 1 }),
  "smaller heading": setBlockType(nodes.heading, { level: 2 }),
  list: wrapInList(nodes.bullets),
  "numbered list": wrapInList(nodes.numbers),
  quote: wrapIn(nodes.quote),
  note: wrapIn(nodes.note),
  out: chainCommands(liftListItem(nodes.item), lift),
};
export const mark = (name, attrs) => toggleMark(marks[name], attrs);

// In a step's title Enter goes on with the step, in an empty step it leaves the steps.
const enterInStep = (state, dispatch) => {
  const { $from } = state.selection;
  if ($from.parent.type !== nodes.step_title) return false;
  const depth = $from.depth - 1;
  if (!$from.parent.content.size && $from.node(depth).childCount === 1) {
    const steps = $from.node(depth - 1);
    if (steps.childCount < 2 || $from.index(depth - 1) !== steps.childCount - 1) return false;
    if (dispatch) {
      const tr = state.tr.delete($from.before(depth), $from.after(depth));
      const end = tr.mapping.map($from.after(depth - 1));
      tr.insert(end, paragraph()).setSelection(TextSelection.create(tr.doc, end + 1));
      dispatch(tr.scrollIntoView());
    }
    return true;
  }
  if (dispatch) {
    const after = $from.after(depth);
    const tr = state.tr.insert(after, nodes.step.create(null, nodes.step_title.create()));
    tr.setSelection(TextSelection.create(tr.doc, after + 2));
    dispatch(tr.scrollIntoView());
  }
  return true;
};

const newLine = (state, dispatch) => {
  dispatch?.(state.tr.replaceSelectionWith(nodes.break.create()).scrollIntoView());
  return true;
};
const drop = (state, dispatch) => {
  if (!(state.selection instanceof NodeSelection)) return false;
  if (state.doc.childCount === 1 && state.selection.$from.depth === 0) {
    dispatch?.(state.tr.replaceWith(0, state.doc.content.size, paragraph()));
    return true;
  }
  dispatch?.(state.tr.deleteSelection().scrollIntoView());
  return true;
};

const rules = inputRules({
  rules: [
    textblockTypeInputRule(/^#\s$/, nodes.heading, { level: 1 }),
    textblockTypeInputRule(/^##\s$/, nodes.heading, { level: 2 }),
    textblockTypeInputRule(/^```$/, nodes.listing),
    wrappingInputRule(/^\s*[-*]\s$/, nodes.bullets),
    wrappingInputRule(/^(\d{1,3})\.\s$/, nodes.numbers, (found) => ({ start: Math.max(1, Number(found[1])) }),
      (found, node) => node.childCount + node.attrs.start === Number(found[1])),
    wrappingInputRule(/^\s*>\s$/, nodes.quote),
    new InputRule(/^---$/, (state, found, start, end) => {
      const $start = state.doc.resolve(start);
      if ($start.depth !== 1) return null;
      return state.tr.replaceWith($start.before(1), $start.after(1), [nodes.line.create({ id: newName() }), paragraph()]);
    }),
  ],
});

// Every block has a name of its own: what was split or pasted gets a new one.
const names = new Plugin({
  appendTransaction(changes, before, state) {
    if (!changes.some((change) => change.docChanged)) return null;
    const seen = new Set();
    let tr = null;
    state.doc.forEach((node, at) => {
      if (!node.attrs.id || seen.has(node.attrs.id)) {
        const id = newName();
        tr = (tr ?? state.tr).setNodeMarkup(at, null, { ...node.attrs, id }, node.marks);
        seen.add(id);
      } else seen.add(node.attrs.id);
    });
    return tr?.setMeta("addToHistory", true) ?? null;
  },
});

export const plugins = (keys) => [
  rules,
  keymap({
    "Mod-z": undo, "Mod-y": redo, "Shift-Mod-z": redo,
    "Mod-b": toggleMark(marks.strong), "Mod-i": toggleMark(marks.em), "Mod-`": toggleMark(marks.code),
    "Alt-ArrowUp": move(-1), "Alt-ArrowDown": move(1),
    "Shift-Enter": chainCommands(exitCode, newLine),
    Enter: chainCommands(enterInStep, newlineInCode, splitListItem(nodes.item), createParagraphNear, liftEmptyBlock, splitBlock),
    Tab: chainCommands(goToNextCell(1), sinkListItem(nodes.item)),
    "Shift-Tab": chainCommands(goToNextCell(-1), liftListItem(nodes.item)),
    Delete: drop, Backspace: drop,
    ...keys,
  }),
  keymap(baseKeymap),
  history({ depth: STEPS_BACK }),
  names,
];
