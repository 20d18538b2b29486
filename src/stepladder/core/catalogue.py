"""The catalogue: in which order things stand, how long they are, what others did and thought of them. Rules: 14, 20."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_UP, Decimal

from stepladder.core.finding import fold
from stepladder.core.lengths import LENGTHS

__all__ = [
    "LIKE_ME_DAYS",
    "SHORT_BREAK",
    "Listed",
    "Rating",
    "length_class",
    "like_me",
    "order_key",
    "path_minutes",
    "rating",
    "topics_to_show",
]

# From so many on, others are told of and order; below it they do neither.
FEWEST_OTHERS = 3
# From so many raters on a rating is shown.
FEWEST_RATERS = 3
# What others did counts for so many days.
LIKE_ME_DAYS = 365
# Things up to so many minutes fit into a short break.
SHORT_BREAK = 10


def like_me(others: int) -> int:
    """How many others at one's positions did it, as it is shown and orders: nothing below three."""
    return others if others >= FEWEST_OTHERS else 0


@dataclass(frozen=True)
class Rating:
    """What raters come to: the mean to one decimal, halves up, and how many they are."""

    mean: Decimal
    raters: int


def rating(total: int, raters: int) -> Rating | None:
    """The rating of *raters* people who gave *total* points; None while there are too few."""
    if raters < FEWEST_RATERS:
        return None
    mean = (Decimal(total) / raters).quantize(Decimal("0.1"), ROUND_HALF_UP)
    return Rating(mean, raters)


@dataclass(frozen=True)
class Listed:
    """What a thing is ordered by within a topic, for one person on a day. *others* is as counted."""

    title: str
    released_on: date
    on_noticeboard: bool = False
    passed_on_unopened: bool = False
    begun: bool = False
    done: bool = False
    others: int = 0


def order_key(thing: Listed) -> tuple[bool, bool, bool, bool, int, int, str]:
    """Sorts things within a topic, the first first: what is done and does not run out comes last."""
    return (
        thing.done,
        not thing.on_noticeboard,
        not thing.passed_on_unopened,
        not thing.begun,
        -like_me(thing.others),
        -thing.released_on.toordinal(),
        fold(thing.title),
    )


def path_minutes(obligatory: Iterable[int], electives: Iterable[tuple[Sequence[int], int]] = ()) -> int:
    """How long a path is: its obligatory courses, and of each choice of (minutes, k) the k shortest."""
    return sum(obligatory) + sum(sum(sorted(minutes)[:k]) for minutes, k in electives)


def length_class(minutes: int) -> str | None:
    """The class (core.lengths) of a length, each with its upper end; None where nobody said how long it takes."""
    if minutes <= 0:
        return None
    return next(name for name, one in LENGTHS.items() if one.bounds[1] is None or minutes <= one.bounds[1])


def topics_to_show(followed: Sequence[int], by_peers: Mapping[int, int], names: Mapping[int, str]) -> list[int]:
    """The topics that somebody is shown: those they follow; who follows none, those that people at their position follow,
    most first, then by title; without any of those, all."""
    if followed:
        return sorted(followed, key=lambda topic: fold(names.get(topic, "")))
    ranked = sorted((topic for topic, count in by_peers.items() if count), key=lambda t: (-by_peers[t], fold(names[t])))
    return ranked or sorted(names, key=lambda topic: fold(names[topic]))
