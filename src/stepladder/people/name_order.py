"""The order of everybody's names as an array, and whom words find, kept between requests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from django.db.models import Count, Max, Sum
from numpy.typing import NDArray

from stepladder.people.models import Person
from stepladder.search.words import words_of
from stepladder.web.tables import LazyRows

__all__ = ["Names", "PeopleByName", "forget", "names"]


@dataclass(frozen=True)
class Names:
    """Everybody's place in the order of family and given names, by key; and what one finds them by, in the same order."""

    version: tuple[object, ...]
    order: NDArray[np.int32]
    keys: list[int]
    texts: list[str]

    def found_by(self, text: str) -> list[int]:
        """The keys of who has every word in a name or the number."""
        words = words_of(text.lower())
        return [key for key, hay in zip(self.keys, self.texts, strict=True) if all(word in hay for word in words)]


class PeopleByName(LazyRows[Person]):
    """People in the order of their names; only those that are shown are read."""

    def __init__(self, people: Sequence[int]) -> None:
        keys = np.array(people, dtype=np.int64)
        self._keys: NDArray[np.int64] = keys[np.argsort(names().order[keys])] if len(keys) else keys

    def __len__(self) -> int:
        return len(self._keys)

    def made(self, start: int, stop: int) -> list[Person]:
        keys = self._keys[start:stop].tolist()
        people = Person.objects.in_bulk(keys)
        return [people[key] for key in keys]


_names: list[Names] = []


def names() -> Names:
    """The names of everybody, kept until one is changed."""
    version = tuple(Person.objects.aggregate(n=Count("pk"), last=Max("pk"), changes=Sum("revision")).values())
    if not _names or _names[0].version != version:
        rows = list(
            Person.objects.order_by("family_name", "given_name", "pk").values_list(
                "pk", "given_name", "family_name", "employee_number"
            )
        )
        order = np.zeros(max((row[0] for row in rows), default=0) + 1, dtype=np.int32)
        order[[row[0] for row in rows]] = np.arange(len(rows))
        _names[:] = [Names(version, order, [row[0] for row in rows], [f"{g} {f} {n}".lower() for _, g, f, n in rows])]
    return _names[0]


def forget() -> None:
    """Let go of what is kept between requests: for tests, whose rows come and go without a trace."""
    _names.clear()
