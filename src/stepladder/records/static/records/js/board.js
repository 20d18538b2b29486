// The board by keys: arrows go from cell to cell, Enter opens its people. One cell is in the tab order.
const boardOf = (event) => event.target.closest?.("[data-board]");
const cellsOf = (board) => [...board.tBodies[0].rows].map((row) => [...row.cells].slice(1).map((cell) => cell.querySelector("a")));

const dress = () => {
  const board = document.querySelector("[data-board]");
  if (!board) return;
  for (const cell of cellsOf(board).flat()) if (cell) cell.tabIndex = -1;
  const first = board.querySelector("td > a");
  if (first) first.tabIndex = 0;
};

// Its people in the margin, once one stays on a cell: what the list behind it would show.
let waiting = 0;
const look = (delay) => (event) => {
  const board = boardOf(event);
  const cell = board?.dataset.cellAddress && event.target.closest("td > a");
  if (!cell) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    const [unit, course] = cell.pathname.split("/").slice(-3);
    const query = new URLSearchParams(cell.search);
    if (unit !== "everyone") query.set("unit", unit);
    query.set("course", course);
    window.htmx.ajax("GET", `${board.dataset.cellAddress}?${query}`, { target: "#cell", swap: "innerHTML" });
  }, delay);
};
document.addEventListener("mouseover", look(250));
document.addEventListener("focusin", look(150));
document.addEventListener("mouseout", (event) => { if (boardOf(event)) clearTimeout(waiting); });

const place = (rows, cell) => {
  for (const [r, row] of rows.entries()) { const c = row.indexOf(cell); if (c >= 0) return [r, c]; }
  return null;
};

document.addEventListener("keydown", (event) => {
  const ways = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
  const way = ways[event.key];
  const board = way && boardOf(event);
  if (!board) return;
  const rows = cellsOf(board);
  const at = place(rows, event.target.closest("td > a"));
  if (!at) return;
  event.preventDefault();
  let [r, c] = [at[0] + way[0], at[1] + way[1]];
  while (rows[r]?.[c] === null) { r += way[0]; c += way[1]; }
  const next = rows[r]?.[c];
  if (!next) return;
  event.target.closest("td > a").tabIndex = -1;
  next.tabIndex = 0;
  next.focus();
});

dress();
// On a slow line one may be on a cell before this came.
look(0)({ target: document.activeElement });
document.addEventListener("filtered", dress);

// All of the board as one drawing: which cell is meant is reckoned from where one points, or from the last one by arrow keys.
let [row, column] = [0, 0];
const drawingOf = (event) => event.target.closest?.("[data-whole-board]");
const listOf = (drawing, name) => JSON.parse(drawing.dataset[name]);

const mark = (drawing, delay) => {
  const { left, top, wide, high, cellAddress, more, said } = drawing.dataset;
  const here = drawing.querySelector(".here");
  here.setAttribute("x", Number(left) + column * wide - 1);
  here.setAttribute("y", Number(top) + row * high);
  if (said) document.querySelector("[data-cell-said]").textContent = listOf(drawing, "said")[row][column];
  if (!cellAddress) return;
  clearTimeout(waiting);
  waiting = setTimeout(() => {
    const query = new URLSearchParams(more);
    const unit = listOf(drawing, "rows")[row];
    if (unit !== "everyone") query.set("unit", unit);
    query.set("course", listOf(drawing, "columns")[column]);
    window.htmx.ajax("GET", `${cellAddress}?${query}`, { target: "#cell", swap: "innerHTML" });
  }, delay);
};

// Where a cell leads; one in which nothing is counted leads nowhere.
const open = (drawing) => {
  const { said, opens } = drawing.dataset;
  if (said && !listOf(drawing, "said")[row][column]) return;
  const keys = { row: listOf(drawing, "rows")[row], column: listOf(drawing, "columns")[column] };
  window.location.assign(new URL(opens.replace(/\{(row|column)\}/g, (_, name) => keys[name]), window.location.href));
};

// Where one points within the drawing, as a row and column; null beside its cells.
const pointed = (drawing, event) => {
  const { left, top, wide, high } = drawing.dataset;
  const svg = drawing.querySelector("svg");
  const box = svg.getBoundingClientRect();
  const scale = svg.viewBox.baseVal.width / box.width;
  const at = [((event.clientY - box.top) * scale - top) / high, ((event.clientX - box.left) * scale - left) / wide].map(Math.floor);
  const inside = at[0] >= 0 && at[0] < listOf(drawing, "rows").length && at[1] >= 0 && at[1] < listOf(drawing, "columns").length;
  return inside ? at : null;
};

document.addEventListener("mousemove", (event) => {
  const drawing = drawingOf(event);
  const at = drawing && pointed(drawing, event);
  if (!at || (at[0] === row && at[1] === column)) return;
  [row, column] = at;
  mark(drawing, 250);
});
document.addEventListener("click", (event) => {
  const drawing = drawingOf(event);
  const at = drawing && !event.target.closest("a") && pointed(drawing, event);
  if (!at) return;
  [row, column] = at;
  open(drawing);
});
document.addEventListener("keydown", (event) => {
  const ways = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
  const drawing = drawingOf(event);
  if (!drawing || event.target !== drawing) return;
  if (event.key === "Enter") { open(drawing); return; }
  const way = ways[event.key];
  if (!way) return;
  event.preventDefault();
  row = Math.min(Math.max(row + way[0], 0), listOf(drawing, "rows").length - 1);
  column = Math.min(Math.max(column + way[1], 0), listOf(drawing, "columns").length - 1);
  mark(drawing, 150);
});
