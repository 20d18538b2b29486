"""What will be asked of people who come in by a file, told before it is carried out by an app nearer the roof."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

__all__ = ["Asked", "asked_of_arrivals", "tell_by"]


@dataclass(frozen=True)
class Asked:
    """A course that somebody will be asked for. *is_late*: its day would be past as they come."""

    title: str
    due: date | None
    is_late: bool = False


Tell = Callable[[Sequence[int]], Mapping[int, list[Asked]]]
_tellers: list[Tell] = []


def tell_by(teller: Tell) -> None:
    """Hand in what will be asked of people (by key) who are recorded and not told yet."""
    _tellers.append(teller)


def asked_of_arrivals(people: Sequence[int]) -> dict[int, list[Asked]]:
    """Person → what will be asked of them, the first due first."""
    found: dict[int, list[Asked]] = {}
    for teller in _tellers:
        for person, asked in teller(people).items():
            found.setdefault(person, []).extend(asked)
    return found
