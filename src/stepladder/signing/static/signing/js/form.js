// The form of a sign-off: kept in this browser as soon as it is signed, and sent; without a line, later.
import { openPad } from "./pad.js";

// The longer side of a photo that is sent, in pixels: enough to tell, and quick on a weak line.
const LONGEST = 1600;

const newKey = () => (crypto.randomUUID ? crypto.randomUUID().replaceAll("-", "") : Array.from(crypto.getRandomValues(new Uint8Array(16)), (one) => one.toString(16).padStart(2, "0")).join(""));
const localDay = (date) => new Date(date.getTime() - date.getTimezoneOffset() * 60000).toISOString().slice(0, 10);

// Made smaller, and without what the camera wrote into it; as it came where this browser cannot read it.
const smaller = async (file) => {
  try {
    const picture = await createImageBitmap(file, { imageOrientation: "from-image" });
    const scale = Math.min(1, LONGEST / Math.max(picture.width, picture.height));
    const canvas = document.createElement("canvas");
    canvas.width = Math.round(picture.width * scale);
    canvas.height = Math.round(picture.height * scale);
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    return await new Promise((resolve) => canvas.toBlob((blob) => resolve(blob ?? file), "image/jpeg", 0.85));
  } catch { return file; }
};

export const openForm = (form, outbox) => {
  const pads = Object.fromEntries([...form.querySelectorAll("[data-pad]")].map((pad) => [pad.dataset.pad, openPad(pad)]));
  const faultsPlace = form.querySelector("[data-faults]");
  const day = form.elements.day;
  let keptPhoto = null;

  // A page that was taken along may be of another day, and be signed more than once.
  form.elements.key.value = newKey();
  const today = localDay(new Date());
  if (today > form.dataset.today) {
    if (day.value === form.dataset.today) day.value = today;
    day.max = today;
    form.dataset.today = today;
  }
  const reason = form.querySelector("[data-reason]");
  const showReason = () => { reason.hidden = day.value === form.dataset.today && !form.elements.reason.value; };
  day.addEventListener("input", showReason);
  day.addEventListener("change", showReason);
  showReason();

  const allMet = form.querySelector("[data-all-met]");
  allMet.hidden = false;
  allMet.addEventListener("click", () => {
    for (const one of form.querySelectorAll('.choice input[value="met"]')) one.checked = true;
  });

  const tell = (lines) => {
    faultsPlace.replaceChildren(...lines.map((text) => Object.assign(document.createElement("li"), { textContent: text })));
    faultsPlace.hidden = !lines.length;
    if (lines.length) faultsPlace.scrollIntoView({ block: "center" });
  };

  // What was refused later is filled in again.
  const kept = new URLSearchParams(window.location.search).get("kept");
  if (kept) {
    outbox.keptItem(kept).then((item) => {
      if (!item || item.account !== outbox.account) return;
      for (const [name, value] of item.fields) {
        const field = form.elements.namedItem(name);
        if (!field || name === "key" || name === "csrfmiddlewaretoken") continue;
        if (name in pads) pads[name].set(value);
        else field.value = value;
      }
      keptPhoto = item.photo;
      if (keptPhoto) form.querySelector("[data-photo-kept]").textContent = "The photo that was taken is still here.";
      form.dataset.takesPlaceOf = item.key;
      showReason();
      if (item.says) tell([item.says]);
    });
  }

  // What would be refused later is said while both still stand here; the server looks at all of it once more.
  const missing = () => {
    const lines = [];
    if (![...form.querySelectorAll(".choice input:checked")].some((one) => one.value)) lines.push("Say of at least one criterion whether it was met.");
    if (day.value < form.dataset.today && !form.elements.reason.value.trim()) lines.push("Say why it is signed off only now.");
    for (const name of Object.keys(pads)) {
      if (form.elements[name].value || form.elements[`${name}_typed`].value.trim()) continue;
      lines.push(name === "signature" ? "Sign in the field, or type your name." : "Let whoever did it sign in the field, or type their name.");
    }
    if ("asksPhoto" in form.dataset && !form.elements.photo.files.length && !keptPhoto && isAllThatIsNeeded()) lines.push("This task asks for a photo. Take one, or choose one.");
    return lines;
  };
  // The photo is owed by the sign-off that makes the task done.
  const isAllThatIsNeeded = () => {
    const all = [...form.querySelectorAll(".seen-line")];
    const met = all.filter((line) => line.classList.contains("is-met") || line.querySelector('input[value="met"]')?.checked);
    return met.length >= Number(form.dataset.needed) && all.every((line) => !("must" in line.dataset) || met.includes(line));
  };

  let isSending = false;
  form.addEventListener("submit", async (event) => {
    event.preventDefault();
    if (isSending) return;
    const lines = missing();
    tell(lines);
    if (lines.length) return;
    isSending = true;
    const button = form.querySelector("button.btn");
    const words = button.textContent;
    button.disabled = true;
    button.textContent = "Being sent …";
    try {
      const data = new FormData(form);
      const photo = form.elements.photo.files[0];
      data.delete("photo");
      const item = {
        key: form.elements.key.value,
        account: outbox.account,
        name: form.dataset.who,
        what: form.dataset.what,
        send: form.dataset.send,
        page: window.location.pathname,
        fields: [...data.entries()].filter(([name]) => name !== "csrfmiddlewaretoken"),
        photo: photo ? await smaller(photo) : keptPhoto,
        at: Date.now(),
        state: "waiting",
        says: "",
      };
      const said = await outbox.give(item);
      if (said.state === "refused") {
        const faults = Object.values(said.faults ?? {});
        tell(faults.length ? faults : [said.says]);
        return;
      }
      if (form.dataset.takesPlaceOf) await outbox.drop(form.dataset.takesPlaceOf);
      if (said.state === "sent") { window.location.assign(said.url); return; }
      if (!said.isKept) {
        tell(["There is no line, and this browser keeps nothing. Leave this page open, and sign it off again once there is a line."]);
        return;
      }
      form.reset();
      for (const pad of Object.values(pads)) pad.set("");
      form.replaceChildren(Object.assign(document.createElement("p"), {
        className: "done-note", textContent: "Signed, and kept on this device. It is sent by itself once there is a line.",
      }));
      form.firstChild.setAttribute("role", "status");
      form.firstChild.scrollIntoView({ block: "center" });
    } finally { isSending = false; button.disabled = false; button.textContent = words; }
  });
};
