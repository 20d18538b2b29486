"""Skills: which level somebody holds on which days, by the credits of what they validly completed. Rule: 10."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from stepladder.core.days import FOREVER, Span, join_spans

__all__ = ["LevelNeeds", "credits_along", "days_held", "held_until"]


@dataclass(frozen=True)
class LevelNeeds:
    """What a level asks for: so many *credits*, and how many each course gives towards it."""

    credits: int
    given: tuple[tuple[int, int], ...] = ()

    @property
    def courses(self) -> frozenset[int]:
        return frozenset(course for course, _ in self.given)


def days_held(levels: Sequence[LevelNeeds], earned: Mapping[int, Sequence[Span]]) -> list[Span]:
    """The days on which the last of these levels, from the lowest up, is held: its credits reach it, and all lower ones are held.

    *earned*: course → the days on which a completion of it is valid. Credits above what a level needs are not carried up.
    """
    held = [Span(date.min, FOREVER)]
    for level in levels:
        reached = _reached(level, earned)
        held = [part for one in held for other in reached if (part := one.cut(other))]
    return join_spans(held) if levels else []


def credits_along(
    needed: int, obligatory: Iterable[int], electives: Iterable[tuple[Sequence[int], int]]
) -> tuple[int, int]:
    """The fewest and the most credits that a path gives towards a level that needs *needed*: by what is obligatory, and by whatever
    one chooses of the *electives*, each the credits of a stage's choices and how many of them one does. Never more than are needed.
    """
    least = most = sum(obligatory)
    for credits, choose in electives:
        ordered = sorted(credits)
        least += sum(ordered[:choose])
        most += sum(ordered[len(ordered) - choose :])
    return min(least, needed), min(most, needed)


def _reached(level: LevelNeeds, earned: Mapping[int, Sequence[Span]]) -> list[Span]:
    """The days on which the credits of what is valid reach a level; each course counts once."""
    changes: dict[date, int] = {}
    for course, count in level.given:
        for span in join_spans(earned.get(course, ())):
            changes[span.first] = changes.get(span.first, 0) + count
            if span.last < FOREVER:
                after = span.last + timedelta(days=1)
                changes[after] = changes.get(after, 0) - count
    if level.credits <= 0:
        return [Span(date.min, FOREVER)]
    found: list[Span] = []
    total, since = 0, None
    for day in sorted(changes):
        total += changes[day]
        if total >= level.credits and since is None:
            since = day
        elif total < level.credits and since is not None:
            found.append(Span(since, day - timedelta(days=1)))
            since = None
    if since is not None:
        found.append(Span(since, FOREVER))
    return found


def held_until(levels: Sequence[LevelNeeds], earned: Mapping[int, Sequence[Span]], day: date) -> date | None:
    """Until when the last of these levels is held, of who holds it on *day*; None for who does not."""
    return next((span.last for span in days_held(levels, earned) if day in span), None)
