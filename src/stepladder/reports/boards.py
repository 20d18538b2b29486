"""A report by two groupings of which neither is a period, as the board is: a bar a cell, and its figure beside it."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from functools import cached_property

from django.utils.html import escape
from django.utils.safestring import SafeString, mark_safe

from stepladder.core.reports import Figure, Unit, Value
from stepladder.records.cell_bars import Grid, GridName, Parts, bar, grid
from stepladder.reports.running import Codes, Line, Report
from stepladder.reports.saying import bare, written_value

__all__ = ["COLUMNS", "LINES", "ReportBoard", "WholeReport", "left_out_of_block"]

# So many columns stand beside each other in a table, lines below each other; so many cells in one drawing, and in a block.
COLUMNS, LINES = 60, 50
WHOLE_COLUMNS, WHOLE_CELLS = 300, 20_000
BLOCK_COLUMNS, BLOCK_LINES = 20, 30
# Beside the margin there is less room than on the board.
ROOM = 400
Link = Callable[[Codes, Figure], str]


class ReportBoard:
    """The cells of a report by two groupings: what the bar of each is parted into, what it says and where it leads."""

    def __init__(self, report: Report, link: Link) -> None:
        self.report, self.link = report, link
        self.asked, self.figure = report.asked, report.asked.figure

    @cached_property
    def _most(self) -> float:
        """The highest of all cells, which a bar of a number is drawn against; 0 where some are below none, and no bar is."""
        numbers = [n for line in self.report.lines if (n := _number(line.values[self.figure.key])) is not None]
        return max(numbers, default=0.0) if min(numbers, default=0.0) >= 0 else 0.0

    def parts(self, line: Line) -> Parts | None:
        """The bar of a cell; None where it has none."""
        value = line.values[self.figure.key]
        standing = self.asked.counted.standing
        if standing and self.figure.unit is Unit.RATE:
            done, late, left_out, whole = (line.values[key] for key in standing)
            covered, behind, every = done.part or 0, late.rows, whole.rows
            return Parts(covered, every - covered - behind - left_out.rows, behind, every)
        number = _number(value)
        most = 1.0 if self.figure.unit in (Unit.RATE, Unit.SHARE) else self._most
        return None if number is None or not most else Parts(number, 0, 0, most)

    def late(self, line: Line) -> int:
        """How many of a cell are late, where its bar shows that."""
        standing = self.asked.counted.standing
        return line.values[standing.late].rows if standing and self.figure.unit is Unit.RATE else 0

    def said(self, line: Line) -> str:
        """A cell in words: "Dunlin, Fire on board: 84 %, 21 of 25"."""
        value = line.values[self.figure.key]
        of = f", {value.part:,} of {value.rows:,}" if value.part is not None else ""
        return f"{', '.join(line.names)}: {written_value(self.figure, value, alone=True)}{of}"

    def cells(self, code: int, columns: Sequence[tuple[int, str]]) -> SafeString:
        """A row of the table as markup: a page has thousands of cells, and a template for each takes seconds."""
        lines = self.report.by_codes
        return mark_safe("".join(self._cell(lines.get((code, other))) for other, _ in columns))

    def _cell(self, line: Line | None) -> str:
        value = line.values[self.figure.key] if line else None
        if line is None or value is None or not value.rows:
            return f'<td class="muted">{bare(self.figure, value or Value(None, 0))}'
        parts, late = self.parts(line), self.late(line)
        title = f' title="{value.part:,} of {value.rows:,}"' if value.part is not None else ""
        drawn, behind = bar(parts) if parts else "", f"<sup>{late}</sup>" if late else ""
        url = escape(self.link(line.codes, self.figure))
        return f'<td><a href="{url}"{title}>{drawn}{bare(self.figure, value)}{behind}</a>'

    def block(self) -> SafeString:
        """The first of its rows and columns, drawn small; each cell leads to its rows."""
        rows, columns = self.report.down[:BLOCK_LINES], self.report.across[:BLOCK_COLUMNS]
        shown = self._lines(rows, columns)

        def leads(row: int, column: int) -> tuple[str, str]:
            line = shown[row][column]
            assert line is not None, "only cells with something in them lead anywhere"
            return self.link(line.codes, self.figure), self.said(line)

        # Several blocks may stand on one page.
        name = f"drawn-{'-'.join((self.asked.counted.key, self.figure.key, *self.asked.groupings))}"
        return grid(self._title, _names(rows), _names(columns), self._parts(shown), leads, room=ROOM, name=name).drawing

    def whole(self) -> WholeReport:
        """All of it in one drawing, as far as a page can hold that."""
        columns = self.report.across[:WHOLE_COLUMNS]
        rows = self.report.down[: WHOLE_CELLS // max(len(columns), 1)]
        shown = self._lines(rows, columns)
        return WholeReport(
            grid(self._title, _names(rows), _names(columns), self._parts(shown), room=ROOM),
            json.dumps([[self.said(line) if line else "" for line in row] for row in shown], ensure_ascii=False),
            _left_out(len(rows), len(self.report.down), len(columns), len(self.report.across)),
        )

    @property
    def _title(self) -> str:
        return f"{self.figure.label} by {' and '.join(self.asked.by_words)}: a bar a cell"

    def _lines(self, rows: Sequence[tuple[int, str]], columns: Sequence[tuple[int, str]]) -> list[list[Line | None]]:
        found = self.report.by_codes
        counted = [[found.get((code, other)) for other, _ in columns] for code, _ in rows]
        return [[line if line and line.values[self.figure.key].rows else None for line in row] for row in counted]

    def _parts(self, shown: Sequence[Sequence[Line | None]]) -> list[list[Parts | None]]:
        return [[(self.parts(line) or Parts(0, 0, 0, 1)) if line else None for line in row] for row in shown]


@dataclass(frozen=True)
class WholeReport:
    """The drawing, what each of its cells says as JSON ("" where nothing is counted), and what it does not hold."""

    grid: Grid
    said: str
    left_out: str


def left_out_of_block(report: Report) -> str:
    """What a block does not show of a board, in words."""
    down, across = len(report.down), len(report.across)
    return _left_out(min(down, BLOCK_LINES), down, min(across, BLOCK_COLUMNS), across)


def _number(value: Value) -> float | None:
    return None if value.is_few else value.number


def _names(groups: Sequence[tuple[int, str]]) -> list[GridName]:
    return [GridName(name, code, 1) for code, name in groups]


def _left_out(rows: int, all_rows: int, columns: int, all_columns: int) -> str:
    said = []
    if rows < all_rows:
        said.append(f"the first {rows:,} of {all_rows:,} rows")
    if columns < all_columns:
        said.append(f"the first {columns:,} of {all_columns:,} columns")
    return f"Drawn are {' and '.join(said)}." if said else ""
