"""The board's cells as markup, drawn in one pass: a large firm's page has thousands, and a template for each takes seconds."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.http import HttpRequest
from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

from stepladder.core.board import Cell
from stepladder.core.requirements import Status
from stepladder.records.board import Board, BoardRow
from stepladder.records.forms import Clocks

__all__ = ["EVERYONE", "BoardLinks", "DrawnRow", "drawn"]

# What stands for the unit in the address of a cell of everyone.
EVERYONE = "everyone"


@dataclass(frozen=True)
class BoardLinks:
    """Where the cells, and the folds of the board, lead."""

    request: HttpRequest
    clocks: Clocks
    unfolded: frozenset[str]
    page: int

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

    def _page(self, way: int) -> str:
        query = self.request.GET.copy()
        query["courses"] = str(self.page + way)
        return f"?{query.urlencode()}"


@dataclass(frozen=True)
class DrawnRow:
    """A row, its cells as markup, and where it is folded or unfolded."""

    row: BoardRow
    cells: SafeString
    folding: str


def drawn(board: Board, rate: str, links: BoardLinks) -> Iterator[DrawnRow]:
    """The rows of a board. Values are numbers and public ids, so nothing of them needs escaping but what leads elsewhere."""
    # Relative to the board's own address, and as short as they can be: a page has two thousand of them.
    more, courses = escape(links.clocks.suffix), [course.public_id for course in board.courses]
    for row in board.rows:
        at = f"at/{row.public_id or EVERYONE}"
        cells = "".join(
            _drawn(cell, rate, f"{at}/{course}/{more}") if cell else '<td class="muted">–'
            for course, cell in zip(courses, row.cells, strict=True)
        )
        folds = row.is_open is not None and row.depth > 0
        yield DrawnRow(row, mark_safe(cells), links.folding(row) if folds else "")


def _drawn(cell: Cell, rate: str, url: str) -> str:
    percent = cell.on_time_rate if rate == "on time" else cell.covered_rate
    late = f"<sup>{cell.late}</sup>" if cell.late else ""
    return f'<td><a href="{url}">{_bar(cell)}{"–" if percent is None else percent}{late}</a>'


def _bar(cell: Cell) -> str:
    """The bar's parts in thirtieths of its length (board.css draws them): covered, not yet due, late; waived people are in none."""
    open_ = cell.all - cell.covered - cell.late - cell.of(Status.WAIVED)
    covered, waits, late = (_thirtieths(n, cell.all) for n in (cell.covered, open_, cell.late))
    waits = min(waits, 30 - covered - late)
    parts = [f"{letter}{n}" for letter, n in (("k", covered), ("o", waits), ("l", late)) if n > 0]
    return f'<i class="{" ".join(parts)}"></i>' if parts else "<i></i>"


def _thirtieths(part: int, whole: int) -> int:
    """One person of a thousand is still to be seen, and one who is missing is too."""
    if part in (0, whole):
        return 30 if part else 0
    return min(max(round(30 * part / whole), 1), 29)
