// Files and folders dropped on, or chosen in, [data-drop-files] are sent in parts that resume, a few at a time; one line for the
// whole, one for each under way. The tree of a dropped folder goes with its files.
const PART = 5 * 1024 * 1024;
const AT_ONCE = 3;
// So many lines of files that could not be sent are shown; of more, how many.
const MOST_LINES = 20;
const find = (name) => document.querySelector(`[data-${name}]`);
const works = find("works");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];

const waiting = [];
const underWay = new Map();
const failed = [];
let [done, bytesDone, bytesAll, isPaused, began] = [0, 0, 0, false, 0];

// --- lines
const line = (file) => {
  const item = document.createElement("li");
  item.className = "work";
  const name = document.createElement("span");
  name.className = "name";
  name.textContent = file.name;
  const bar = document.createElement("progress");
  bar.max = 100;
  bar.value = 0;
  bar.setAttribute("aria-label", file.name.slice(0, 60));
  const says = document.createElement("span");
  says.className = "small muted";
  says.textContent = "0 %";
  item.append(name, bar, says);
  works.append(item);
  return { item, bar, says };
};

const refuse = (shown, text) => {
  if (failed.length > MOST_LINES) { shown.item.remove(); return; }
  shown.item.classList.add("is-trouble");
  shown.bar.replaceWith(document.createElement("span"));
  shown.says.textContent = "not uploaded";
  const sentence = document.createElement("p");
  sentence.className = "says";
  sentence.textContent = text;
  shown.item.append(sentence);
};

const size = (bytes) => (bytes < 1024 ** 2 ? `${Math.ceil(bytes / 1024)} KB`
  : bytes < 1024 ** 3 ? `${(bytes / 1024 ** 2).toFixed(1)} MB` : `${(bytes / 1024 ** 3).toFixed(1)} GB`);

const sent = () => bytesDone + [...underWay.values()].reduce((sum, one) => sum + one.sent, 0);
const left = () => {
  const seconds = (Date.now() - began) / 1000;
  if (seconds < 5 || !sent()) return "";
  const more = ((bytesAll - sent()) * seconds) / sent();
  return more < 60 ? "less than a minute left" : `about ${Math.ceil(more / 60)} min left`;
};
const showWhole = () => {
  const place = find("sending");
  const files = done + failed.length + waiting.length + underWay.size;
  place.hidden = waiting.length + underWay.size === 0 || files === 1;
  const rest = isPaused ? "paused" : left();
  find("sending-whole").textContent = `${done} of ${files} files, ${size(sent())} of ${size(bytesAll)}${rest ? `, ${rest}` : ""}`;
  find("sending-bar").value = bytesAll ? (sent() / bytesAll) * 100 : 100;
  find("pause").textContent = isPaused ? "Go on" : "Pause";
  const own = find("own-window");
  if (own) own.hidden = !target(document.querySelector("[data-drop-files]")).dataset.window;
};
const say = (text) => {
  const place = find("sending-says");
  place.textContent = text;
  place.hidden = !text;
};

// --- where they go: the page of a binder, or of all modules, where one chooses the binder
const chosen = (form) => form.querySelector("[data-binder-choice]")?.selectedOptions[0];
const target = (form) => chosen(form) ?? form;
const binderOf = (form) => chosen(form)?.value ?? form.dataset.binder;

const arrived = (form) => {
  if (form.dataset.module) { location.reload(); return; }
  window.htmx.ajax("GET", target(form).dataset.progress, { target: document.querySelector("#uploads"), swap: "innerHTML" });
};

// --- sending
const start = (job) => {
  const { form, file, path } = job;
  const shown = line(file);
  job.shown = shown;
  job.sent = 0;
  job.upload = new window.tus.Upload(file, {
    endpoint: form.dataset.to,
    chunkSize: PART,
    retryDelays: [0, 1000, 3000, 5000, 10000, 20000, 30000, 60000],
    storeFingerprintForResuming: file.size > 0,
    removeFingerprintOnSuccess: true,
    metadata: { filename: file.name, binder: job.binder, module: form.dataset.module ?? "", folder: form.dataset.folder ?? "", path },
    headers: { "X-CSRFToken": csrf },
    onProgress: (bytes, all) => {
      job.sent = bytes;
      shown.bar.value = all ? (bytes / all) * 100 : 100;
      shown.says.textContent = `${Math.floor(shown.bar.value)} %`;
      showWhole();
    },
    onError: (error) => {
      failed.push(job);
      const answer = error.originalResponse?.getBody();
      refuse(shown, answer || "The connection broke. Choose the same file again: it goes on where it stopped.");
      end(job);
    },
    onSuccess: () => {
      done += 1;
      bytesDone += file.size;
      shown.item.remove();
      end(job);
    },
  });
  underWay.set(job, job);
  job.upload.findPreviousUploads().then((earlier) => {
    if (earlier.length) job.upload.resumeFromPreviousUpload(earlier[0]);
    if (!isPaused && underWay.has(job)) job.upload.start();
  });
};
const end = (job) => {
  underWay.delete(job);
  next();
  // Of hundreds not after each: the list is asked for as a few have come, and at the end.
  if (done % 5 === 0 || !underWay.size) arrived(job.form);
};
const next = () => {
  while (!isPaused && waiting.length && underWay.size < AT_ONCE) start(waiting.shift());
  showWhole();
};

// Whether there is room is asked before anything is sent.
const hasRoom = async (form, bytes) => {
  const address = target(form).dataset.room;
  if (!address) return true;
  try {
    const answer = await fetch(address, {
      method: "POST",
      headers: { "X-CSRFToken": csrf, "Content-Type": "application/x-www-form-urlencoded" },
      body: new URLSearchParams({ bytes: String(bytes) }),
    });
    const said = answer.ok ? await answer.json() : { says: "" };
    say(said.says);
    return !said.says;
  } catch {
    // No line: the files themselves wait for one.
    return true;
  }
};

const take = async (form, files) => {
  const some = form.hasAttribute("data-one") ? files.slice(0, 1) : files;
  const bytes = some.reduce((sum, { file }) => sum + file.size, 0);
  if (!some.length || !(await hasRoom(form, bytes))) return;
  if (!underWay.size && !waiting.length) [done, bytesDone, bytesAll, began] = [0, 0, 0, Date.now()];
  bytesAll += bytes;
  waiting.push(...some.map(({ file, path }) => ({ form, file, path, binder: binderOf(form) })));
  next();
};

// --- what was dropped: files, and folders with all that is in them
const inside = (entry, path) => new Promise((resolve) => {
  if (entry.isFile) { entry.file((file) => resolve([{ file, path }]), () => resolve([])); return; }
  const reader = entry.createReader();
  const found = [];
  // A browser hands out a folder a hundred entries at a time.
  const read = () => reader.readEntries(async (entries) => {
    if (!entries.length) { resolve((await Promise.all(found)).flat()); return; }
    for (const one of entries) found.push(inside(one, `${path}${path ? "/" : ""}${entry.name}`));
    read();
  }, () => resolve([]));
  read();
});
// What file managers leave in folders is nobody's material.
const isMaterial = ({ file }) => !file.name.startsWith(".") && !["Thumbs.db", "desktop.ini"].includes(file.name);
const dropped = async (transfer) => {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter(Boolean);
  if (!entries.length) return [...transfer.files].map((file) => ({ file, path: "" }));
  const found = await Promise.all(entries.map((entry) => inside(entry, "")));
  return found.flat().filter((one) => entries.length === 1 && entries[0].isFile ? true : isMaterial(one));
};

document.addEventListener("change", (event) => {
  const form = event.target.closest("[data-drop-files]");
  if (!form || event.target.type !== "file") return;
  // Of a folder that was chosen each file says where in it it lay.
  const files = [...event.target.files].map((file) => ({ file, path: file.webkitRelativePath.split("/").slice(0, -1).join("/") }));
  take(form, event.target.webkitdirectory ? files.filter(isMaterial) : files);
  event.target.value = "";
});

for (const kind of ["dragenter", "dragover", "dragleave", "drop"]) {
  document.addEventListener(kind, async (event) => {
    const form = document.querySelector("[data-drop-files]");
    if (!form || !event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    form.classList.toggle("is-over", kind === "dragenter" || kind === "dragover");
    if (kind === "drop") take(form, await dropped(event.dataTransfer));
  });
}

document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-drop-files]")) event.preventDefault();
});

// --- pause, cancel, and a window that stays
find("pause")?.addEventListener("click", () => {
  isPaused = !isPaused;
  for (const job of underWay.values()) { if (isPaused) job.upload.abort(); else job.upload.start(); }
  next();
});
find("cancel")?.addEventListener("click", async () => {
  waiting.length = 0;
  for (const job of [...underWay.values()]) {
    underWay.delete(job);
    job.shown.item.remove();
    // What has arrived of it is not kept.
    await job.upload.abort(true).catch(() => {});
  }
  bytesAll = bytesDone;
  showWhole();
  arrived(document.querySelector("[data-drop-files]"));
});
find("own-window")?.addEventListener("click", () => {
  const form = document.querySelector("[data-drop-files]");
  const other = window.open(target(form).dataset.window, "sending", "width=560,height=640");
  if (!other) { say("Your browser did not open the window. Allow it for this page, or stay here until all has arrived."); return; }
  const jobs = [...underWay.values(), ...waiting];
  for (const job of underWay.values()) { job.upload.abort(); job.shown.item.remove(); }
  underWay.clear();
  waiting.length = 0;
  showWhole();
  const given = jobs.map(({ file, path }) => ({ file, path }));
  // It says when it is there; what is handed over goes on from the byte that the server has.
  window.addEventListener("message", (event) => {
    if (event.source === other && event.origin === location.origin && event.data === "ready") {
      other.postMessage({ files: given, folder: form.dataset.folder ?? "" }, location.origin);
    }
  });
});
const taker = document.querySelector("[data-takes-over]");
if (taker && window.opener) {
  window.addEventListener("message", (event) => {
    if (event.origin !== location.origin || event.source !== window.opener || !Array.isArray(event.data?.files)) return;
    taker.dataset.folder = event.data.folder;
    take(taker, event.data.files);
  });
  window.opener.postMessage("ready", location.origin);
}

window.addEventListener("beforeunload", (event) => {
  if (underWay.size + waiting.length > 0) event.preventDefault();
});
