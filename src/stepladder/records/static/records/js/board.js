// The board by keys: arrows go from cell to cell, Enter opens its people. One cell is in the tab order.
const table = document.querySelector("[data-board]");
if (table) {
  const rows = [...table.tBodies[0].rows].map((row) => [...row.cells].slice(1).map((cell) => cell.querySelector("a")));
  const first = table.querySelector("td > a");
  for (const row of rows) for (const cell of row) if (cell) cell.tabIndex = -1;
  if (first) first.tabIndex = 0;

  // Its people in the margin, once one stays on a cell: what the list behind it would show.
  let waiting = 0;
  const look = (delay) => (event) => {
    const cell = event.target.closest?.("td > a");
    if (!cell) return;
    clearTimeout(waiting);
    waiting = setTimeout(() => {
      const [unit, course] = cell.pathname.split("/").slice(-3);
      const query = new URLSearchParams(cell.search);
      if (unit !== "everyone") query.set("unit", unit);
      query.set("course", course);
      window.htmx.ajax("GET", `${table.dataset.cellAddress}?${query}`, { target: "#cell", swap: "innerHTML" });
    }, delay);
  };
  table.addEventListener("mouseover", look(250));
  table.addEventListener("focusin", look(150));
  table.addEventListener("mouseout", () => clearTimeout(waiting));

  const place = (cell) => {
    for (const [r, row] of rows.entries()) { const c = row.indexOf(cell); if (c >= 0) return [r, c]; }
    return null;
  };

  table.addEventListener("keydown", (event) => {
    const ways = { ArrowUp: [-1, 0], ArrowDown: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1] };
    const way = ways[event.key];
    const at = way && place(event.target.closest("td > a"));
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
}
