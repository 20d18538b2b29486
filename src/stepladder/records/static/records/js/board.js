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
  const cell = board && event.target.closest("td > a");
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
