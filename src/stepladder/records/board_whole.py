"""All of a board as one drawing."""

from __future__ import annotations

from collections.abc import Sequence

from stepladder.courses.models import Course, Path
from stepladder.records.board import Board
from stepladder.records.board_drawing import EVERYONE, BoardLinks, parts_of
from stepladder.records.cell_bars import Grid, GridName, grid

__all__ = ["whole_board"]


def whole_board(board: Board, links: BoardLinks, standing: str) -> Grid:
    """A board with all its columns, drawn. *standing*: the address of lists, to which the heads lead."""
    columns: Sequence[Course | Path] = board.courses
    return grid(
        f"{len(board.rows)} by {len(columns)}: a bar a cell, parted into covered, not yet due and late",
        [GridName(row.name, row.public_id or EVERYONE, row.depth) for row in board.rows],
        [
            GridName(one.title, one.public_id, url=f"{standing}?course={one.public_id}{links.clocks.more}")
            for one in columns
        ],
        [[parts_of(cell) if cell else None for cell in row.cells] for row in board.rows],
    )
