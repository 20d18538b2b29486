"""All of a board as one drawing."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass

from django.utils.safestring import SafeString

from stepladder.courses.models import Course, Path
from stepladder.records.board import Board
from stepladder.records.board_drawing import EVERYONE, BoardLinks, parts_of
from stepladder.records.cell_bars import HIGH, LEFT, TOP, GridName, grid

__all__ = ["WholeBoard", "whole_board"]


@dataclass(frozen=True)
class WholeBoard:
    """The drawing, and what a script needs to say which cell somebody points at."""

    drawing: SafeString
    rows: str
    columns: str
    wide: int
    left: int = LEFT
    top: int = TOP
    high: int = HIGH


def whole_board(board: Board, links: BoardLinks, standing: str) -> WholeBoard:
    """A board with all its columns, drawn. *standing*: the address of lists, to which the heads lead."""
    columns: Sequence[Course | Path] = board.courses
    made = grid(
        f"{len(board.rows)} by {len(columns)}: a bar a cell, parted into covered, not yet due and late",
        [GridName(row.name, row.depth) for row in board.rows],
        [GridName(one.title, url=f"{standing}?course={one.public_id}{links.clocks.more}") for one in columns],
        [[parts_of(cell) if cell else None for cell in row.cells] for row in board.rows],
    )
    return WholeBoard(
        made.drawing,
        json.dumps([row.public_id or EVERYONE for row in board.rows]),
        json.dumps([column.public_id for column in columns]),
        made.wide,
    )
