// A section saves itself. What the server has not taken is kept in this browser; nobody's newer words are written over unseen.
import { newName, schema } from "./schema.js";

const editor = document.querySelector("[data-editor]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const title = document.querySelector("[data-section-title]");
const place = document.querySelector("#saved");
const headers = { "Content-Type": "application/json", "X-CSRFToken": csrf };
// Once one pauses; at the latest after so long, in milliseconds.
const PAUSE = 1200;
const LATEST = 8000;
const PATIENCE = 20000;
const AGAIN = 5000;
// A copy that another tab looks after says so every few seconds.
const LIVES = 10000;
const MOST_BYTES = 2 * 1024 * 1024;

let revision = Number(editor.dataset.revision);
let view;
let changed = 0;
let saved = 0;
let since = 0;
let timer;
let isSending = false;
let name = newName();
let isTaken = false;
let taken = false;

const shelf = `lesson:${editor.dataset.section}:`;
const mine = shelf + newName();
const keep = () => {
  try { localStorage.setItem(mine, JSON.stringify({ revision, title: title.value, tree: view.state.doc.toJSON(), beat: Date.now() })); }
  catch { /* the page itself still has it */ }
};
const drop = () => { try { localStorage.removeItem(mine); } catch { /* nothing was kept */ } };

// A copy that no other tab looks after any more: what the line, or the browser, swallowed.
const leftBehind = () => {
  try {
    for (let n = 0; n < localStorage.length; n += 1) {
      const key = localStorage.key(n);
      if (!key.startsWith(shelf) || key === mine) continue;
      const kept = JSON.parse(localStorage.getItem(key));
      if (Date.now() - kept.beat < LIVES) continue;
      localStorage.removeItem(key);
      return kept;
    }
  } catch { /* what cannot be read cannot be brought back */ }
  return null;
};

const say = (words, isUnsaved) => {
  const line = document.createElement("span");
  line.className = isUnsaved ? "saved is-unsaved" : "saved";
  line.textContent = words;
  place.replaceChildren(line);
};

export const isUnsaved = () => changed > saved;

export const touched = () => {
  changed += 1;
  since ||= Date.now();
  if (!taken) takeIt();
  say("not saved", true);
  keep();
  clearTimeout(timer);
  timer = setTimeout(save, Math.max(0, Math.min(PAUSE, since + LATEST - Date.now())));
};

const failed = (words) => {
  say(words, true);
  clearTimeout(timer);
  timer = setTimeout(save, AGAIN);
};

export const save = async ({ overwrite = false } = {}) => {
  if (isSending || !isUnsaved() || (isTaken && !overwrite) || document.querySelector("#conflict[open]")) return;
  const at = changed;
  const body = JSON.stringify({ revision: overwrite ? null : revision, title: title.value, tree: view.state.doc.toJSON(), name });
  if (body.length > MOST_BYTES) {
    say("not saved: this section has more than 2 MB of words. Make two of it", true);
    return;
  }
  isSending = true;
  since = 0;
  try {
    const answer = await fetch(editor.dataset.save, { method: "POST", headers, body, signal: AbortSignal.timeout(PATIENCE) });
    const said = await answer.json().catch(() => ({ says: `the server answered ${answer.status}` }));
    if (answer.ok) {
      [revision, name] = [said.revision, newName()];
      saved = at;
      if (isUnsaved()) touched();
      else { drop(); say(`saved ${said.kept}`, false); document.dispatchEvent(new CustomEvent("lesson:saved")); }
    } else if (answer.status === 409) {
      say("not saved: somebody changed it meanwhile", true);
      conflict(said);
    } else if (answer.status === 423) {
      belongsTo(said.taken, said.says);
    } else if (answer.status >= 500) failed(`not saved: ${said.says}. It is tried again`);
    else say(`not saved: ${said.says}`, true);
  } catch {
    failed("not saved: no connection. It is kept in this browser");
  } finally { isSending = false; }
};
window.addEventListener("online", () => save());

// --- somebody else's change, side by side
const conflict = ({ says, theirs }) => {
  const dialog = document.querySelector("#conflict");
  dialog.querySelector("[data-says]").textContent = `${says} Below is how it stands since ${theirs.at}, beside what you have here.`;
  dialog.querySelector("[data-theirs]").innerHTML = theirs.html;
  const own = dialog.querySelector("[data-mine]");
  own.replaceChildren(...[...view.dom.childNodes].map((node) => node.cloneNode(true)));
  for (const part of own.querySelectorAll("[contenteditable]")) part.removeAttribute("contenteditable");
  dialog.querySelector("[data-take-theirs]").onclick = () => {
    dialog.close();
    title.value = theirs.title;
    const doc = schema.nodeFromJSON(theirs.tree);
    view.dispatch(view.state.tr.replaceWith(0, view.state.doc.content.size, doc.content).setMeta("theirs", true));
    [revision, saved, changed] = [theirs.revision, 0, 0];
    drop();
    say(`saved ${theirs.at}`, false);
  };
  dialog.querySelector("[data-keep-mine]").onclick = () => { dialog.close(); name = newName(); save({ overwrite: true }); };
  dialog.showModal();
};

// --- who writes where
const belongsTo = (who, says) => {
  isTaken = Boolean(who);
  const line = document.querySelector("[data-taken]");
  line.hidden = !who;
  if (who) {
    line.textContent = says ?? `${who} writes in this section. You can read along; it is free once nothing has happened in it for five minutes.`;
    if (isUnsaved()) say("not saved: what you wrote is kept in this browser", true);
  }
  view?.setProps({ editable: () => !isTaken });
  title.readOnly = isTaken;
};

const takeIt = async () => {
  taken = true;
  try {
    const answer = await fetch(editor.dataset.take, { method: "POST", headers });
    if (answer.status === 423) { taken = false; const said = await answer.json(); belongsTo(said.taken, said.says); }
  } catch { taken = false; }
};

const EVERY = 15000;
const look = async () => {
  if (document.hidden) return;
  let said;
  try {
    const answer = await fetch(editor.dataset.present);
    if (!answer.ok) return;
    said = await answer.json();
  } catch { return; }
  const here = document.querySelector("[data-here-now]");
  const others = [];
  for (const line of document.querySelectorAll("[data-index-section]")) {
    const one = said.sections[line.dataset.indexSection];
    if (one?.by) others.push(`${one.by} writes in section ${line.dataset.number}`);
    line.classList.toggle("is-taken", Boolean(one?.by));
  }
  if (here) here.textContent = others.length ? `${others.join("; ")}.` : "Nobody else.";
  const own = said.sections[editor.dataset.section];
  if (!own) { say("this section was taken out of the lesson", true); return; }
  const wasTaken = isTaken;
  if (own.by || isTaken) belongsTo(own.by);
  // Whoever reads along sees what is new; whoever was waiting goes on from it.
  if (!isUnsaved() && own.revision > revision && !isSending) {
    const answer = await fetch(editor.dataset.page);
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    const tree = page.getElementById("lesson-tree");
    if (tree && !isUnsaved()) {
      // It is no step of one's own: taking a step back must not take back what somebody else wrote.
      revision = Number(page.querySelector("[data-editor]").dataset.revision);
      title.value = page.querySelector("[data-section-title]").value;
      const doc = schema.nodeFromJSON(JSON.parse(tree.textContent));
      view.dispatch(view.state.tr.replaceWith(0, view.state.doc.content.size, doc.content).setMeta("theirs", true).setMeta("addToHistory", false));
    }
  }
  if (wasTaken && !isTaken && isUnsaved()) save();
};

export const begin = (editorView) => {
  view = editorView;
  if (editor.dataset.takenBy) belongsTo(editor.dataset.takenBy);
  title.addEventListener("input", touched);
  setInterval(look, EVERY);
  setInterval(() => { if (isUnsaved()) keep(); }, LIVES / 2);
  document.addEventListener("visibilitychange", () => { if (!document.hidden) look(); });
  window.addEventListener("beforeunload", (event) => { if (isUnsaved()) event.preventDefault(); });
  window.addEventListener("pagehide", () => {
    if (isUnsaved()) keep();
    // A beacon has no header of its own; the form of it is checked all the same.
    if (taken && !isUnsaved()) fetch(`${editor.dataset.take}?leave=1`, { method: "POST", headers, keepalive: true }).catch(() => {});
  });
  const kept = leftBehind();
  if (kept && JSON.stringify(kept.tree) !== JSON.stringify(view.state.doc.toJSON())) {
    revision = kept.revision;
    title.value = kept.title;
    view.dispatch(view.state.tr.replaceWith(0, view.state.doc.content.size, schema.nodeFromJSON(kept.tree).content));
    document.dispatchEvent(new CustomEvent("toast", { detail: { text: "What you wrote here without a connection is back.", trouble: false } }));
  }
};
