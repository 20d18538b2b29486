"""How far the planner comes in its time, by size: people, rooms and days; limits of units, instructors' days and two languages in all."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import date, timedelta

from bench import check, company
from stepladder.core.planning import Busy, Instructor, Learner, Limit, Problem, Room, solve
from stepladder.core.planning.model import build

SIZES = ((60, 4, 20, 60), (300, 10, 30, 60), (2_000, 40, 60, 120))
FIRST, SITES, LANGUAGES = date(2027, 3, 1), 3, ("English", "Polish")
HOURS = dict.fromkeys(range(5), ((8 * 60, 17 * 60),))
SECONDS = 45.0


def problem(people: int, rooms: int, days: int, step: int) -> Problem:
    """Made up, the same each time: one in ten on leave, rooms taken here and there."""
    rng = random.Random(company.SEED)  # noqa: S311 - the same numbers each time
    units = max(people // 50, 4)

    def taken() -> Busy:
        day = FIRST + timedelta(days=rng.randrange(days))
        return Busy(day, rng.choice((8, 10, 13)) * 60, rng.choice((14, 15, 17)) * 60)

    def learner(key: int) -> Learner:
        needed = FIRST + timedelta(days=rng.choice((-5, 10, 14, 30, 30, 30, 45, 60, 90)))
        on_leave = {Busy(FIRST + timedelta(days=rng.randrange(days)), 0, 24 * 60)} if rng.random() < 0.1 else set()
        language = rng.choices(LANGUAGES, (9, 1))[0]
        unit = frozenset({rng.randrange(units)})
        return Learner(key, needed, rng.randrange(SITES), language, unit, frozenset(on_leave))

    return Problem(
        tuple(learner(key) for key in range(people)),
        tuple(
            Room(
                key, rng.choice((8, 10, 12, 16, 20)), rng.randrange(SITES), HOURS, frozenset(taken() for _ in range(2))
            )
            for key in range(rooms)
        ),
        FIRST,
        FIRST + timedelta(days=days - 1),
        120,
        tuple(
            Instructor(
                key,
                frozenset(rng.sample(range(5), rng.choice((2, 3, 5)))),
                2,
                frozenset(LANGUAGES[: 1 + (key % 3 == 0)]),
            )
            for key in range(max(3, rooms // 4))
        ),
        tuple(Limit(unit, max(people // units // 5, 1)) for unit in range(units)),
        seats=12,
        step=step,
    )


def run() -> Iterator[str]:
    """What is found in 45 seconds, and how much better another plan could be at most."""
    for people, rooms, days, step in SIZES:
        asked = problem(people, rooms, days, step)
        model = build(asked)
        found = solve(asked, seconds=SECONDS)
        seated = [key for one in found.sessions for key in one.people]
        check(len(seated) == len(set(seated)), "nobody sits twice")
        yield (
            f"  planner, {people:,} people, {rooms} rooms, {days} days ({len(model.most):,} columns): {found.late} late "
            f"(at least {found.least_late}), {len(found.new)} sessions (at least {found.least_sessions}), {found.seconds:.0f} s"
        )
