// Files dropped on, or chosen in, [data-drop-files] are sent in parts that resume; each shows how far it is.
const PART = 5 * 1024 * 1024;
const works = document.querySelector("[data-works]");
const csrf = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
let open = 0;

const row = (file) => {
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

const refused = (shown, text) => {
  shown.item.classList.add("is-trouble");
  shown.bar.replaceWith(document.createElement("span"));
  shown.says.textContent = "not uploaded";
  const sentence = document.createElement("p");
  sentence.className = "says";
  sentence.textContent = text;
  shown.item.append(sentence);
};

// The page of a binder, or of all modules, where one chooses the binder.
const chosen = (form) => form.querySelector("[data-binder-choice]")?.selectedOptions[0];
const binderOf = (form) => chosen(form)?.value ?? form.dataset.binder;
const progressOf = (form) => (chosen(form) ?? form).dataset.progress;

const arrived = () => {
  const target = document.querySelector("#uploads");
  const form = document.querySelector("[data-drop-files]");
  const module = form.dataset.module;
  if (module) location.reload();
  else window.htmx.ajax("GET", progressOf(form), { target, swap: "innerHTML" });
};

const send = (form, file) => {
  const shown = row(file);
  open += 1;
  const upload = new window.tus.Upload(file, {
    endpoint: form.dataset.to,
    chunkSize: PART,
    retryDelays: [0, 1000, 3000, 5000, 10000, 20000],
    storeFingerprintForResuming: file.size > 0,
    removeFingerprintOnSuccess: true,
    metadata: { filename: file.name, binder: binderOf(form), module: form.dataset.module ?? "" },
    headers: { "X-CSRFToken": csrf },
    onProgress: (sent, all) => {
      shown.bar.value = all ? (sent / all) * 100 : 100;
      shown.says.textContent = `${Math.floor(shown.bar.value)} %`;
    },
    onError: (error) => {
      open -= 1;
      const answer = error.originalResponse?.getBody();
      refused(shown, answer || "The connection broke. Choose the same file again: it goes on where it stopped.");
    },
    onSuccess: () => {
      open -= 1;
      shown.item.remove();
      arrived();
    },
  });
  upload.findPreviousUploads().then((earlier) => {
    if (earlier.length) upload.resumeFromPreviousUpload(earlier[0]);
    upload.start();
  });
};

const take = (form, files) => {
  for (const file of form.hasAttribute("data-one") ? [...files].slice(0, 1) : files) send(form, file);
};

document.addEventListener("change", (event) => {
  const form = event.target.closest("[data-drop-files]");
  if (!form || event.target.type !== "file") return;
  take(form, event.target.files);
  event.target.value = "";
});

for (const kind of ["dragenter", "dragover", "dragleave", "drop"]) {
  document.addEventListener(kind, (event) => {
    const form = document.querySelector("[data-drop-files]");
    if (!form || !event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    form.classList.toggle("is-over", kind === "dragenter" || kind === "dragover");
    if (kind === "drop") take(form, event.dataTransfer.files);
  });
}

document.addEventListener("submit", (event) => {
  if (event.target.matches("[data-drop-files]")) event.preventDefault();
});

window.addEventListener("beforeunload", (event) => {
  if (open > 0) event.preventDefault();
});
