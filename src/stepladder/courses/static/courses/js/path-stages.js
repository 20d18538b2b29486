// Whatever changes the stages of a path is sent by the list of stages itself, one after the other, with what was meant when it was
// done: each answer draws the stages anew, and a button or a field that waited for its turn would be gone with what it asks.
const stages = document.getElementById("stages");
const picker = document.getElementById("path-picker");
// Words of stages by the names of their fields: typed and not sent yet; sent and not answered yet.
const typed = new Map();
const sending = new Map();

const send = (values, swap = "innerHTML") =>
  window.htmx.ajax("POST", stages.dataset.address, { source: stages, target: stages, swap, values });

// The key of the stage in which a button was pressed last.
let pressedIn;

stages.addEventListener("click", (event) => {
  const button = event.target.closest("button[data-act]");
  if (!button) return;
  pressedIn = button.dataset.stage;
  send({ ...button.dataset });
});

// Who goes by keys goes on in the same stage where the button they pressed is there no more.
const keepPlace = () => {
  if (!pressedIn || document.activeElement !== document.body) return;
  const stage = stages.querySelector(`.path-stage[data-key="${pressedIn}"]`) ?? stages;
  stage.querySelector(".does button")?.focus();
};

picker.addEventListener("submit", (event) => {
  event.preventDefault();
  const course = [];
  picker.dispatchEvent(new CustomEvent("take", { detail: course }));
  const into = picker.elements.into?.value;
  if (course.length && into) send({ act: "put", into, course });
});

const keep = (form) => {
  const words = Object.fromEntries(new FormData(form));
  for (const [name, value] of Object.entries(words)) {
    if (typed.delete(name)) sending.set(name, value);
  }
  send(words, "none");
};

const wordsOf = (field) => field.form?.matches(".stage-words") && field.form;

stages.addEventListener("input", (event) => { if (wordsOf(event.target)) typed.set(event.target.name, event.target.value); });
// A field that was drawn anew beneath what is typed in it tells no change when it is left.
for (const moment of ["change", "focusout"]) {
  stages.addEventListener(moment, (event) => { if (typed.has(event.target.name)) keep(wordsOf(event.target)); });
}
stages.addEventListener("submit", (event) => {
  event.preventDefault();
  keep(event.target);
});

// What is under way or being typed stays in sight when the stages are drawn as they were before it.
stages.addEventListener("htmx:afterSwap", () => {
  for (const [name, value] of [...sending, ...typed]) {
    const field = stages.querySelector(`[name="${name}"]`);
    // Its stage was taken out.
    if (!field) [typed, sending].forEach((words) => words.delete(name));
    else if (field.value !== value) field.value = value;
  }
  keepPlace();
});

stages.addEventListener("htmx:afterRequest", (event) => {
  const { requestConfig, successful } = event.detail;
  for (const [name, value] of [...sending]) {
    if (requestConfig.parameters[name] !== value) continue;
    sending.delete(name);
    // It goes with the next that is said in its stage.
    if (!successful && !typed.has(name)) typed.set(name, value);
  }
  if (sending.size || !submitted) return;
  // The answer may have drawn it anew.
  const form = document.querySelector(`form[action="${submitted}"]`);
  submitted = null;
  if (successful) form?.requestSubmit();
});

// What is sent for the path as a whole, its release above all, waits for the words that are on their way: the address of its form.
let submitted = null;
document.addEventListener("submit", (event) => {
  const address = event.target.getAttribute("action");
  if (event.defaultPrevented || !sending.size || !address || event.submitter?.name) return;
  event.preventDefault();
  submitted = address;
});

window.addEventListener("beforeunload", (event) => { if (typed.size || sending.size) event.preventDefault(); });
