"""All of a board as one drawing: thousands of cells in three shapes, one for what is covered, what waits and what is late."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from stepladder.core.requirements import Status
from stepladder.courses.models import Course, Path
from stepladder.records.board import Board
from stepladder.records.board_drawing import EVERYONE, BoardLinks

__all__ = ["WholeBoard", "whole_board"]

# A cell is so high, and so wide at least, its bar a little less; names stand beside and above.
CELL, WIDEST, ROOM, LEFT, TOP = 14, 44, 660, 190, 132
LONGEST = 26


@dataclass(frozen=True)
class WholeBoard:
    """The drawing, and what a script needs to say which cell somebody points at."""

    drawing: SafeString
    rows: str
    columns: str
    wide: int
    left: int = LEFT
    top: int = TOP
    high: int = CELL


def whole_board(board: Board, links: BoardLinks, standing: str) -> WholeBoard:
    """A board with all its columns, drawn. *standing*: the address of lists, to which the heads lead."""
    shapes: dict[str, list[str]] = {"k": [], "o": [], "l": []}
    # Few columns have the room of many.
    wide = max(CELL, min(WIDEST, ROOM // max(len(board.courses), 1)))
    for n, row in enumerate(board.rows):
        for c, cell in enumerate(row.cells):
            if cell is None:
                continue
            x, y = float(LEFT + c * wide), TOP + n * CELL + 2
            waits = cell.all - cell.covered - cell.late - cell.of(Status.WAIVED)
            for letter, count in (("k", cell.covered), ("o", waits), ("l", cell.late)):
                if count:
                    width = (wide - 3) * count / cell.all
                    # What waits is a thin line, as on the table.
                    high, low = (3, 4) if letter == "o" else (7, 2)
                    shapes[letter].append(f"M{x:.1f} {y + low}h{width:.1f}v{high}h-{width:.1f}z")
                    x += width
    width, height = LEFT + len(board.courses) * wide + 90, TOP + len(board.rows) * CELL + 8
    drawing = format_html(
        '<svg class="whole-board" viewBox="0 0 {} {}" width="{}" height="{}" role="group" aria-labelledby="whole-title">'
        '<title id="whole-title">{} by {}: a bar a cell, parted into covered, not yet due and late</title>{}{}{}'
        '<rect class="here" width="{}" height="{}" x="-99" y="-99"/></svg>',
        width,
        height,
        width,
        height,
        len(board.rows),
        len(board.courses),
        _heads(board, links, standing, wide),
        _names(board),
        # Numbers of ours alone.
        mark_safe("".join(f'<path class="{letter}" d="{"".join(d)}"/>' for letter, d in shapes.items() if d)),
        wide,
        CELL,
    )
    return WholeBoard(
        drawing,
        json.dumps([row.public_id or EVERYONE for row in board.rows]),
        json.dumps([column.public_id for column in board.courses]),
        wide,
    )


def _heads(board: Board, links: BoardLinks, standing: str, wide: int) -> SafeString:
    columns: Sequence[Course | Path] = board.courses
    return format_html_join(
        "",
        '<a href="{}?course={}{}"><text transform="translate({} {}) rotate(-52)">{}<title>{}</title></text></a>',
        (
            (
                standing,
                one.public_id,
                links.clocks.more,
                LEFT + c * wide + wide // 2,
                TOP - 4,
                _short(one.title),
                one.title,
            )
            for c, one in enumerate(columns)
        ),
    )


def _names(board: Board) -> SafeString:
    return format_html_join(
        "",
        '<text class="depth-{}" x="{}" y="{}">{}</text>',
        (
            (row.depth, 4 + row.depth * 8, TOP + n * CELL + 11, _short(row.name, LONGEST - row.depth))
            for n, row in enumerate(board.rows)
        ),
    )


def _short(text: str, most: int = LONGEST) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"
