"""Which questions an attempt gets: each draw its own, none twice. Rule: 7."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from random import Random

from stepladder.core.quizzes.plan import Pick, Plan

__all__ = ["Drawn", "Shortage", "draw", "shortages"]

# Where a pick stands: section and place in it.
Place = tuple[int, int]
# For each pick the keys of the questions that it may be of: of a chosen question that one, of a draw all that fit.
Pools = Mapping[Place, Sequence[int]]


@dataclass(frozen=True)
class Drawn:
    """A question of an attempt: its key, the section it is asked in, and its points."""

    question: int
    section: int
    points: int


@dataclass(frozen=True)
class Shortage:
    """A pick that cannot have as many questions as it asks for; *found* is how many are left for it."""

    section: int
    place: int
    pick: Pick
    found: int


def draw(plan: Plan, pools: Pools, drawing: Random) -> list[Drawn]:
    """The questions in the order of the plan, a draw's in a drawn order; mixed within each section where the plan says so.

    Raises ValueError where there are too few: ask `shortages` before.
    """
    slots, taken = _matched(plan, pools, drawing)
    if len(taken) < len(slots):
        raise ValueError("There are too few questions for what is to be drawn.")
    by_slot = {slot: question for question, slot in taken.items()}
    found = [
        Drawn(by_slot[number], place[0], plan.sections[place[0]].picks[place[1]].points)
        for number, place in enumerate(slots)
    ]
    if not plan.conditions.is_mixed:
        return found
    sections = [[one for one in found if one.section == number] for number in range(len(plan.sections))]
    for questions in sections:
        drawing.shuffle(questions)
    return [one for questions in sections for one in questions]


def shortages(plan: Plan, pools: Pools) -> list[Shortage]:
    """The picks for which there are too few questions, also because others need the same ones."""
    slots, taken = _matched(plan, pools, Random(0))  # noqa: S311 - how many there are does not depend on it
    missing = dict.fromkeys(slots, 0)
    filled = set(taken.values())
    for number, place in enumerate(slots):
        missing[place] += number not in filled
    return [
        Shortage(*place, pick, pick.count - count)
        for place, count in missing.items()
        if count and (pick := plan.sections[place[0]].picks[place[1]])
    ]


def _matched(plan: Plan, pools: Pools, drawing: Random) -> tuple[list[Place], dict[int, int]]:
    """Every question that is wanted as a slot, and which question fills which: as many as can be, by augmenting paths.

    Taken one draw after the other, an early one could take what a later, narrower one needs.
    """
    slots = [
        (at, place)
        for at, section in enumerate(plan.sections)
        for place, pick in enumerate(section.picks)
        for _ in range(pick.count)
    ]
    pool_of: list[list[int]] = []
    for place in slots:
        pool = list(pools.get(place, ()))
        drawing.shuffle(pool)
        pool_of.append(pool)
    taken: dict[int, int] = {}
    order = list(range(len(slots)))
    drawing.shuffle(order)
    for slot in order:
        _fill(slot, pool_of, taken)
    return slots, taken


def _fill(slot: int, pool_of: Sequence[Sequence[int]], taken: dict[int, int]) -> None:
    """Find a question for a slot, where need be by giving another slot another one. Breadth first, so that no chain is too deep."""
    came_by: dict[int, tuple[int, int | None]] = {}
    waiting: list[tuple[int, int | None]] = [(slot, None)]
    while waiting:
        at, by = waiting.pop(0)
        for question in pool_of[at]:
            if question in came_by:
                continue
            came_by[question] = (at, by)
            if question not in taken:
                _hand_on(question, came_by, taken)
                return
            waiting.append((taken[question], question))


def _hand_on(question: int | None, came_by: Mapping[int, tuple[int, int | None]], taken: dict[int, int]) -> None:
    while question is not None:
        slot, before = came_by[question]
        taken[question] = slot
        question = before
