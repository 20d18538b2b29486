"""The board's cells as markup, drawn in one pass: a large firm's page has thousands, and a template for each takes seconds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.http import HttpRequest
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

from stepladder.core.board import Cell
from stepladder.core.requirements import WORST_FIRST, Status
from stepladder.records.board import Board, BoardRow
from stepladder.records.cell_bars import Parts, bar
from stepladder.records.forms import Clocks

__all__ = ["EVERYONE", "BoardLinks", "DrawnRow", "drawn", "parts_of"]

# What stands for the unit in the address of a cell of everyone.
EVERYONE = "everyone"


@dataclass(frozen=True)
class BoardLinks:
    """Where the cells, and the folds of the board, lead."""

    request: HttpRequest
    clocks: Clocks
    unfolded: frozenset[str]
    page: int
    of: str = "units"
    people_page: int = 1
    # What the lists behind the cells are narrowed to beside unit and course: statuses and the day by which something runs out.
    narrowing: str = ""

    @property
    def cells(self) -> str:
        """What the address of a cell ends with: the clocks of the board, and what it counts."""
        said = "&".join(part for part in (self.clocks.query, self.narrowing) if part)
        return f"?{said}" if said else ""

    @property
    def whole(self) -> str:
        """The board with all its columns at once, as a drawing."""
        return self._with("view", "all")

    @property
    def paged(self) -> str:
        """The board as a table again."""
        return self._with("view", "")

    def _with(self, name: str, value: str) -> str:
        query = self.request.GET.copy()
        query.pop(name, None)
        if value:
            query[name] = value
        return f"?{query.urlencode()}"

    def folding(self, row: BoardRow) -> str:
        """The board with this unit unfolded, or folded again."""
        query = self.request.GET.copy()
        query.setlist("open", sorted(self.unfolded ^ {row.public_id}))
        return f"?{query.urlencode()}"

    @property
    def previous(self) -> str:
        """The page of courses before."""
        return self._page(-1)

    @property
    def next(self) -> str:
        """The page of courses after."""
        return self._page(1)

    @property
    def people_before(self) -> str:
        return self._page(-1, "people", self.people_page)

    @property
    def people_after(self) -> str:
        return self._page(1, "people", self.people_page)

    def _page(self, way: int, name: str = "courses", page: int | None = None) -> str:
        return self._with(name, str((self.page if page is None else page) + way))


@dataclass(frozen=True)
class DrawnRow:
    """A row, its cells as markup, and where it is folded or unfolded."""

    row: BoardRow
    cells: SafeString
    folding: str


def drawn(board: Board, rate: str, links: BoardLinks) -> Iterator[DrawnRow]:
    """The rows of a board. Values are numbers and public ids, so nothing of them needs escaping but what leads elsewhere."""
    # Relative to the board's own address, and as short as they can be: a page has two thousand of them.
    more, columns = escape(links.cells), [column.public_id for column in board.courses]
    for row in board.rows:
        at = f"at/{row.public_id or EVERYONE}"
        out = row.runs_out or [0] * len(columns)
        cells = "".join(
            _drawn(cell, rate, f"{at}/{column}/{more}", n, of_one=links.of == "people")
            if cell
            else '<td class="muted">–'
            for column, cell, n in zip(columns, row.cells, out, strict=True)
        )
        folds = row.is_open is not None and row.depth > 0
        yield DrawnRow(row, mark_safe(cells), links.folding(row) if folds else "")


def _drawn(cell: Cell, rate: str, url: str, runs_out: int, *, of_one: bool) -> str:
    if of_one:
        return f'<td><a href="{url}">{_glyph(cell)}{_mark(runs_out)}</a>'
    if rate == "running out":
        return f'<td><a href="{url}">{bar(parts_of(cell))}{runs_out or "–"}</a>'
    percent = cell.on_time_rate if rate == "on time" else cell.covered_rate
    late = f"<sup>{cell.late}</sup>" if cell.late else ""
    return f'<td><a href="{url}">{bar(parts_of(cell))}{"–" if percent is None else percent}{late}</a>'


def _glyph(cell: Cell) -> str:
    """How one person stands: the status that they have, as everywhere."""
    status = next(status for status in WORST_FIRST if cell.of(status))
    slug = str(status).replace(" ", "-")
    return (
        f'<span class="st st-{slug}"><svg class="glyph" aria-hidden="true"><use href="#s-{slug}"/></svg>'
        f'<span class="unseen">{status}</span></span>'
    )


def _mark(runs_out: int) -> str:
    return '<sup aria-hidden="true">↓</sup><span class="unseen">, runs out by then</span>' if runs_out else ""


def parts_of(cell: Cell) -> Parts:
    """A cell's bar: covered, not yet due, late; waived people are in none of them."""
    waits = cell.all - cell.covered - cell.late - cell.of(Status.WAIVED)
    return Parts(cell.covered, waits, cell.late, cell.all)
