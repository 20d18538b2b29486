"""The columns of everybody where a few have moved since they were read: theirs are held apart, and put in where somebody asks for all.

Most pages ask what follows from the columns for a day, which is brought up to date for those who moved alone: then millions of rows
are not copied because one person moved.
"""

from __future__ import annotations

from collections.abc import Sequence
from functools import cached_property
from typing import Any

import numpy as np

from stepladder.assignments.column_reading import Tables
from stepladder.core.columns import LinkColumns, ReasonColumns, WaiverColumns

__all__ = ["MovedTables"]


class MovedTables:
    """*base*, but for these *people* (in order), whose rows are *moved*. Reads as Tables do."""

    def __init__(self, base: Tables, people: Sequence[int], moved: Tables) -> None:
        self._base, self._people, self._moved = base, list(people), moved

    @cached_property
    def reasons(self) -> ReasonColumns:
        return self._base.reasons.replaced(self._people, self._moved.reasons)

    @cached_property
    def paths(self) -> ReasonColumns:
        return self._base.paths.replaced(self._people, self._moved.paths)

    @cached_property
    def links(self) -> LinkColumns:
        return self._base.links.replaced(self._people, self._moved.links)

    @cached_property
    def waivers(self) -> WaiverColumns:
        return self._base.waivers.replaced(self._people, self._moved.waivers)

    @property
    def size(self) -> int:
        """About how many reasons and spans there are."""
        return self._base.size

    def whole(self) -> Tables:
        """All rows, put together."""
        return Tables(self.reasons, self.paths, self.links, self.waivers)

    def of(self, people: Sequence[int]) -> Tables:
        """The rows of these people, who are in order."""
        if np.isin(people, self._people).all():
            return self._moved.of(people)
        theirs = sorted(set(people) & set(self._people))
        return self._base.of(people).replaced(theirs, self._moved.of(theirs))

    def replaced(self, people: Sequence[int], more: Tables) -> MovedTables:
        """The rows of these people, who are in order, replaced by *more* of the same."""
        every: list[Any] = sorted({*self._people, *people})
        return MovedTables(self._base, every, self._moved.replaced(people, more))
