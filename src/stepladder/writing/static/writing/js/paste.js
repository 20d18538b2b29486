// What is pasted from a word processor or a web page: its words and their order, lists as lists, its pictures brought along.
import { Plugin } from "../../web/vendor/prosemirror.min.js";
import { newName, schema } from "./schema.js";
import { insert, setAttrs } from "./commands.js";

const editor = document.querySelector("[data-editor]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
// Of words and marks, pictures aside: more than a section may have.
const MOST_SIGNS = 4_000_000;

export const tell = (words, trouble = false) =>
  document.dispatchEvent(new CustomEvent("toast", { detail: { text: words, trouble }, bubbles: true }));

export const keepFile = async (file, fields = {}) => {
  const body = new FormData();
  if (file) body.append("file", file);
  for (const [name, value] of Object.entries(fields)) body.append(name, value);
  let answer;
  try {
    answer = await fetch(editor.dataset.files, { method: "POST", headers: { "X-CSRFToken": csrf }, body });
  } catch {
    throw new Error("The line is gone: the file was not taken. Choose it again once it is back.");
  }
  const said = await answer.json().catch(() => ({ says: "The file was not taken. It may be too large." }));
  if (!answer.ok) throw new Error(said.says);
  return said;
};

const placeOf = (doc, name) => {
  let at = null;
  doc.descendants((node, place) => { if (node.attrs.id === name) at = place; return at === null; });
  return at;
};

// A picture takes its place at once, and is there when it was made anew.
const bring = async (view, name, file) => {
  try {
    const kept = await keepFile(file);
    const at = placeOf(view.state.doc, name);
    if (at !== null) setAttrs(view, at, kept);
  } catch (trouble) { tell(trouble.message, true); }
};

export const insertPicture = (view, file) => {
  const name = newName();
  insert("picture", { id: name })(view.state, view.dispatch);
  bring(view, name, file);
};

const fileOf = (address) => {
  const [head, data] = [address.slice(5, address.indexOf(",")), address.slice(address.indexOf(",") + 1)];
  const type = head.split(";")[0];
  if (!head.includes("base64")) return null;
  try { return new File([Uint8Array.from(atob(data.replace(/\s/g, "")), (sign) => sign.charCodeAt(0))], `pasted.${type.split("/")[1] || "png"}`, { type }); }
  catch { return null; }
};

// Paragraphs that a word processor calls list items become lists; how deep and of which kind its own marks say.
const listed = (root) => {
  for (const first of [...root.querySelectorAll("p[class*='MsoListParagraph']")]) {
    if (!first.isConnected || first.previousElementSibling?.dataset.made) continue;
    let list = null;
    for (let one = first; one?.matches?.("p[class*='MsoListParagraph']");) {
      const next = one.nextElementSibling;
      const sign = one.textContent.trim().match(/^(\d+|[a-z])[.)]/i);
      for (const mark of one.querySelectorAll("span[data-style*='mso-list:Ignore'], span[data-style*='mso-list: Ignore']")) mark.remove();
      if (!list) {
        list = document.createElement(sign ? "ol" : "ul");
        one.before(list);
      }
      const item = document.createElement("li");
      const inside = document.createElement("p");
      inside.append(...one.childNodes);
      item.append(inside);
      list.append(item);
      one.remove();
      one = next;
    }
  }
};

let pictures = [];
let lost = 0;
let isRefused = false;
const refuse = () => {
  isRefused = true;
  tell("This is more than a section can hold. Paste it in parts, a section for each.", true);
  return "";
};
const clean = (html) => {
  // Comments and what a word processor keeps in them are gone once the browser has read it.
  // How it looked is set aside before it is read: this page's policy lets no style in, and only bold and slanted mean something.
  const bare = html.replace(/<!--[\s\S]*?-->/g, "").replace(/<(style|script)\b[\s\S]*?<\/\1>/gi, "").replace(/<\/?o:p[^>]*>/gi, "")
    // In marks alone: words may speak of style= and onclick= as they like.
    .replace(/<[a-z][^>]*>/gi, (mark) => mark.replace(/\sstyle\s*=/gi, " data-style=").replace(/\son\w+\s*=/gi, " data-dropped="));
  const page = new DOMParser().parseFromString(bare, "text/html");
  for (const part of page.querySelectorAll("script, style, meta, link, title, noscript, template, object, embed, svg")) part.remove();
  [pictures, lost] = [[], 0];
  for (const img of [...page.querySelectorAll("img")]) {
    const address = img.getAttribute("src") ?? "";
    const file = address.startsWith("data:image/") ? fileOf(address) : null;
    if (!file) { lost += 1; img.remove(); continue; }
    const name = newName();
    pictures.push([name, file]);
    const place = page.createElement("div");
    place.dataset.atom = "picture";
    place.dataset.attrs = JSON.stringify({ ...attrsOf("picture"), id: name, shows: (img.alt ?? "").slice(0, 1000) });
    // A picture is a block: it stands behind the paragraph that it was in.
    const around = img.closest("p, h1, h2, h3, h4, h5, h6, figure") ?? img;
    around.after(place);
    img.remove();
  }
  listed(page.body);
  for (const styled of page.querySelectorAll("[data-style]")) {
    const look = styled.dataset.style.toLowerCase();
    delete styled.dataset.style;
    // Some editors wrap all that is copied into a bold that is none.
    if (styled.tagName === "B" && /font-weight:\s*normal/.test(look)) { styled.replaceWith(...styled.childNodes); continue; }
    for (const [tag, sign] of [["strong", /font-weight:\s*(bold|[6-9]00)/], ["em", /font-style:\s*italic/]]) {
      if (styled.tagName !== "SPAN" || !sign.test(look)) continue;
      const around = page.createElement(tag);
      around.append(...styled.childNodes);
      styled.append(around);
    }
  }
  return page.body.innerHTML;
};
const attrsOf = (name) => Object.fromEntries(Object.entries(schema.nodes[name].spec.attrs).map(([attr, said]) => [attr, said.default]));

export const pasting = new Plugin({
  props: {
    transformPastedHTML(html) {
      // Copied here, it is already what it should be.
      if (html.includes("data-pm-slice")) return html;
      const bare = html.replace(/src="data:[^"]*"/g, "");
      isRefused = false;
      return bare.length > MOST_SIGNS ? refuse() : clean(html);
    },
    transformPastedText(text) {
      isRefused = false;
      return text.length > MOST_SIGNS ? refuse() : text;
    },
    handlePaste(view, event) {
      // What was chosen stays: nothing takes its place.
      if (isRefused) { isRefused = false; return true; }
      const files = [...(event.clipboardData?.files ?? [])].filter((file) => file.type.startsWith("image/"));
      if (!files.length || event.clipboardData.getData("text/html")) return false;
      for (const file of files) insertPicture(view, file);
      return true;
    },
    handleDrop(view, event, slice, moved) {
      const files = [...(event.dataTransfer?.files ?? [])].filter((file) => file.type.startsWith("image/"));
      if (moved || !files.length) return false;
      event.preventDefault();
      for (const file of files) insertPicture(view, file);
      return true;
    },
  },
  view: () => ({
    update(view) {
      const [come, gone] = [pictures.splice(0), lost];
      lost = 0;
      // They are in the tree by now, each by its name.
      for (const [name, file] of come) setTimeout(() => bring(view, name, file));
      if (gone) tell(gone === 1 ? "One picture stands elsewhere and did not come along. Copy it by itself." : `${gone} pictures stand elsewhere and did not come along. Copy them one by one.`, true);
    },
  }),
});
