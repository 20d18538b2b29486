"""Columns of the grid that other apps hand in: what they know of modules, to be read there and not edited."""

from __future__ import annotations

from collections.abc import Callable, Collection, Mapping

__all__ = ["add_column", "headings", "told_of"]

# The words for each of the modules by their keys; for none of which there is nothing to say.
Tell = Callable[[Collection[int]], Mapping[int, str]]
_columns: dict[str, Tell] = {}


def add_column(heading: str, tell: Tell) -> None:
    """Hand in a column. *tell* is asked once for all rows of a page."""
    _columns[heading] = tell


def headings() -> list[str]:
    """The headings, in the order in which they were handed in."""
    return list(_columns)


def told_of(keys: Collection[int]) -> dict[int, list[str]]:
    """What each column says of each module."""
    told = [tell(keys) for tell in _columns.values()]
    return {key: [words.get(key, "") for words in told] for key in keys}
