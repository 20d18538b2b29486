// The grid: cells that save themselves, keys to move, blocks pasted from a spreadsheet, filling down, undo.
const grid = document.querySelector("[data-grid]");
const said = document.querySelector("#saved");
const undoButton = document.querySelector("[data-grid-undo]");
const token = JSON.parse(document.body.getAttribute("hx-headers"))["X-CSRFToken"];
const past = [];
let last = null;
let underWay = Promise.resolve();
let waiting = 0;

const keyOf = (cell) => `${cell.closest("tr").dataset.module} ${cell.dataset.cell}`;
const column = (name) => [...grid.querySelectorAll(`[data-cell="${name}"]`)];
const names = [...new Set([...(grid?.querySelectorAll("tr [data-cell]") ?? [])].map((cell) => cell.dataset.cell))];

const beside = (cell, down) => {
  const all = column(cell.dataset.cell);
  return all[all.indexOf(cell) + down];
};

const goTo = (cell) => {
  cell?.focus();
  cell?.select?.();
};

// A cell whose value is a picture shows it: its own, else that of the content.
const write = (cell, value) => {
  cell.value = value;
  if (cell.dataset.cell !== "picture") return;
  cell.replaceChildren();
  // Read out with the cell's name: a picture says nothing by itself.
  cell.title = value ? "its own" : cell.dataset.still ? "made of its content" : "drawn from its title";
  const address = value ? `${grid.dataset.pictures}${value}/` : cell.dataset.still;
  if (!address) return;
  const picture = document.createElement("img");
  picture.className = "picture";
  picture.alt = "";
  picture.src = address;
  cell.append(picture);
};

const mark = (cell, message) => {
  const place = cell.parentElement;
  let line = place.querySelector(".error");
  if (!message) {
    line?.remove();
    cell.removeAttribute("aria-invalid");
    cell.removeAttribute("aria-describedby");
    return;
  }
  if (!line) {
    line = document.createElement("p");
    line.className = "error";
    line.id = `e-${keyOf(cell).replace(" ", "-")}`;
    place.append(line);
  }
  line.textContent = message;
  cell.setAttribute("aria-invalid", "true");
  cell.setAttribute("aria-describedby", line.id);
};

const say = (text, isTrouble = false) => {
  said.innerHTML = "";
  const span = document.createElement("span");
  span.className = isTrouble ? "saved is-unsaved" : "saved";
  span.textContent = text;
  said.append(span);
};

// What a cell was when the server last said so: only what differs from it is sent.
const given = new Map();
for (const cell of grid?.querySelectorAll("[data-cell]") ?? []) given.set(cell, cell.value);

const save = (cells, isUndo = false) => {
  const changed = cells.filter((cell) => cell.value !== given.get(cell));
  for (const cell of cells) if (cell.value === given.get(cell)) mark(cell, "");
  if (!changed.length) return underWay;
  const before = changed.map((cell) => [cell, given.get(cell)]);
  say("not saved");
  // One after the other: a cell that is changed twice is saved in that order.
  waiting += 1;
  underWay = underWay.then(() => send(changed, before, isUndo));
  return underWay;
};

const send = async (changed, before, isUndo) => {
  const byKey = new Map(changed.map((cell) => [keyOf(cell), cell]));
  const cells = changed.map((cell) => [...keyOf(cell).split(" "), cell.value, given.get(cell)]);
  const sent = new Map(changed.map((cell) => [cell, cell.value]));
  let answer;
  try {
    const response = await fetch(grid.dataset.grid, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": token },
      body: JSON.stringify({ cells }),
    });
    if (!response.ok) throw new Error(String(response.status));
    answer = await response.json();
  } catch {
    waiting -= 1;
    say("not saved: no connection, or you are signed out. Leave a cell again to try", true);
    return;
  }
  const kept = new Set();
  for (const [module, name, text] of answer.kept) {
    const cell = byKey.get(`${module} ${name}`);
    // Somebody may have gone on typing in it, or undone it.
    if (cell.value === sent.get(cell)) write(cell, text);
    given.set(cell, text);
    mark(cell, "");
    kept.add(cell);
  }
  for (const [module, name, message, now] of answer.wrong) {
    const cell = byKey.get(`${module} ${name}`);
    given.set(cell, now);
    // What is no picture cannot stand in its cell to be put right, as a text can.
    if (cell.dataset.cell === "picture") write(cell, now);
    mark(cell, message);
  }
  const step = before.filter(([cell]) => kept.has(cell));
  if (step.length && !isUndo) past.push(step);
  undoButton.disabled = !past.length;
  waiting -= 1;
  if (answer.says) say(answer.says, true);
  else if (answer.wrong.length) say(`${answer.kept.length} saved, ${answer.wrong.length} to be put right`, true);
  else if (!waiting) say(answer.kept.length === 1 ? "saved" : `${answer.kept.length} cells saved`);
};

// Rows and cells of a block as spreadsheets copy it: tabs between, and a cell with a line break in quotes.
const blockOf = (text) => {
  const rows = [[""]];
  let quoted = false;
  for (let n = 0; n < text.length; n += 1) {
    const sign = text[n];
    const row = rows.at(-1);
    if (quoted && sign === '"' && text[n + 1] === '"') row[row.length - 1] += text[(n += 1)];
    else if (sign === '"' && (quoted || row.at(-1) === "")) quoted = !quoted;
    else if (quoted || !"\t\r\n".includes(sign)) row[row.length - 1] += sign;
    else if (sign === "\t") row.push("");
    else if (sign === "\n") rows.push([""]);
  }
  if (rows.length > 1 && rows.at(-1).length === 1 && rows.at(-1)[0] === "") rows.pop();
  return rows;
};

const paste = (from, rows) => {
  const first = column(from.dataset.cell).indexOf(from);
  const across = names.slice(names.indexOf(from.dataset.cell));
  const changed = [];
  let over = 0;
  rows.forEach((row, down) => {
    row.forEach((text, right) => {
      const cell = across[right] && column(across[right])[first + down];
      if (!cell) {
        over += 1;
        return;
      }
      write(cell, text);
      changed.push(cell);
    });
  });
  save(changed).then(() => {
    if (over) say(`${over} cell${over === 1 ? "" : "s"} of what you pasted found no room on this page`, true);
  });
};

grid?.addEventListener("focusin", (event) => {
  if (event.target.matches("[data-cell]")) last = event.target;
});

grid?.addEventListener("change", (event) => save([event.target]));

// A cell that was refused is tried again when it is left, though it was not changed again.
grid?.addEventListener("focusout", (event) => {
  if (event.target.getAttribute("aria-invalid")) save([event.target]);
});

grid?.addEventListener("keydown", (event) => {
  const cell = event.target;
  if (!cell.matches("[data-cell]") || event.isComposing) return;
  if (event.altKey && event.key === "ArrowDown") {
    event.preventDefault();
    const below = beside(cell, 1);
    if (below) {
      write(below, cell.value);
      save([cell, below]);
      goTo(below);
    }
    return;
  }
  if (event.altKey || event.ctrlKey || event.metaKey) return;
  if (cell.dataset.cell === "picture" && ["Delete", "Backspace"].includes(event.key)) {
    write(cell, "");
    save([cell]);
    return;
  }
  const isLong = cell.matches("textarea") && cell.value.includes("\n");
  const down = { Enter: event.shiftKey ? -1 : 1, ArrowDown: isLong ? 0 : 1, ArrowUp: isLong ? 0 : -1 }[event.key];
  if (!down || (cell.list && event.key !== "Enter" && cell.value !== given.get(cell))) return;
  event.preventDefault();
  goTo(beside(cell, down) ?? cell);
});

// The server keeps a picture first; its cell then is saved, filled down and undone as any other.
const givePicture = async (cell, file) => {
  const body = new FormData();
  body.append("picture", file);
  say("sending the picture");
  let answer;
  try {
    const response = await fetch(grid.dataset.pictures, { method: "POST", headers: { "X-CSRFToken": token }, body });
    if (!response.ok) throw new Error(String(response.status));
    answer = await response.json();
  } catch {
    mark(cell, "The picture did not get through: no connection, or it is too large. Choose it again.");
    say("not saved", true);
    return;
  }
  if (answer.says) {
    mark(cell, answer.says);
    say("not saved", true);
    return;
  }
  write(cell, answer.digest);
  save([cell]);
};

const chooser = document.querySelector("[data-grid-picture]");
let chosenFor = null;
grid?.addEventListener("click", (event) => {
  chosenFor = event.target.closest("button[data-cell]");
  if (chosenFor) chooser.click();
});
chooser?.addEventListener("change", () => {
  if (chooser.files[0]) givePicture(chosenFor, chooser.files[0]);
  chooser.value = "";
});

grid?.addEventListener("dragover", (event) => {
  if (event.target.closest("button[data-cell]")) event.preventDefault();
});
grid?.addEventListener("drop", (event) => {
  const cell = event.target.closest("button[data-cell]");
  if (!cell || !event.dataTransfer.files[0]) return;
  event.preventDefault();
  givePicture(cell, event.dataTransfer.files[0]);
});

grid?.addEventListener("paste", (event) => {
  const text = event.clipboardData.getData("text/plain");
  const file = [...event.clipboardData.files].find((one) => one.type.startsWith("image/"));
  if (event.target.closest("[data-cell]")?.dataset.cell === "picture" && file) {
    event.preventDefault();
    givePicture(event.target.closest("[data-cell]"), file);
    return;
  }
  if (!event.target.matches("[data-cell]") || !/[\t\n]/.test(text.trimEnd())) return;
  event.preventDefault();
  paste(event.target, blockOf(text));
});

document.querySelector("[data-grid-fill]")?.addEventListener("click", () => {
  if (!last) return say("Go to the cell first that is to be written into all below it.", true);
  const all = column(last.dataset.cell);
  const below = all.slice(all.indexOf(last) + 1);
  for (const cell of below) write(cell, last.value);
  save(below);
});

undoButton?.addEventListener("click", () => {
  const step = past.pop();
  undoButton.disabled = !past.length;
  for (const [cell, text] of step ?? []) write(cell, text);
  save((step ?? []).map(([cell]) => cell), true);
});

window.addEventListener("beforeunload", (event) => {
  if ([...given].some(([cell, text]) => cell.isConnected && cell.value !== text)) event.preventDefault();
});
