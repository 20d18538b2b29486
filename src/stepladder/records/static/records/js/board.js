// The board by keys: arrows go from cell to cell, Enter opens its people. One cell is in the tab order.
const table = document.querySelector("[data-board]");
if (table) {
  const rows = [...table.tBodies[0].rows].map((row) => [...row.cells].slice(1).map((cell) => cell.querySelector("[data-cell]")));
  const first = table.querySelector("[data-cell]");
  if (first) first.tabIndex = 0;

  const place = (cell) => {
    for (const [r, row] of rows.entries()) { const c = row.indexOf(cell); if (c >= 0) return [r, c]; }
    return null;
  };

  table.addEventListener("keydown", (event) => {
    const ways = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    const way = ways[event.key];
    const at = way && place(event.target.closest("[data-cell]"));
    if (!at) return;
    event.preventDefault();
    let [r, c] = [at[0] + way[0], at[1] + way[1]];
    while (rows[r]?.[c] === null) { r += way[0]; c += way[1]; }
    const next = rows[r]?.[c];
    if (!next) return;
    event.target.closest("[data-cell]").tabIndex = -1;
    next.tabIndex = 0;
    next.focus();
  });
}
