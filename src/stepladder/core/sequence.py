"""Steps: which are open, how far one is, and when a course is complete. Rule: 6."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from enum import StrEnum
from fractions import Fraction
from typing import Literal

__all__ = [
    "Completed",
    "Done",
    "Effect",
    "Order",
    "Outline",
    "Part",
    "Progress",
    "StepRule",
    "completed",
    "obligatory_added",
    "open_steps",
    "progress",
    "release_effect",
]


class Part(StrEnum):
    # Who passes it is spared steps of the main part; nobody owes it.
    ENTRY = "entry test"
    PREPARATION = "preparation"
    MAIN = "main"


class Order(StrEnum):
    IN_ORDER = "in order"
    ANY_ORDER = "any order"


@dataclass(frozen=True)
class StepRule:
    """A step: its key (the module's), part, whether it is owed, how long it takes and how much its score weighs."""

    key: int
    part: Part = Part.MAIN
    obligatory: bool = True
    minutes: int = 0
    weight: int = 1
    # Of the main part: whether passing the entry test does it too.
    is_spared: bool = True


@dataclass(frozen=True)
class Outline:
    """A course's steps from top to bottom, the order within each part, and what completes it.

    *optional_owed* is the k of "k of the n optional ones too"; *lowest_score* a share between 0 and 1, or None.
    """

    steps: tuple[StepRule, ...]
    preparation_order: Order = Order.IN_ORDER
    main_order: Order = Order.IN_ORDER
    optional_owed: int = 0
    lowest_score: Fraction | None = None

    def order_of(self, part: Part) -> Order:
        return self.preparation_order if part is Part.PREPARATION else self.main_order

    @property
    def counted(self) -> tuple[StepRule, ...]:
        """The steps that count as such; an entry test is not one of them."""
        return tuple(step for step in self.steps if step.part is not Part.ENTRY)

    @property
    def entry_test(self) -> StepRule | None:
        return next((step for step in self.steps if step.part is Part.ENTRY), None)

    @property
    def spared(self) -> list[int]:
        """The keys of the steps that are done by passing the entry test; none without one."""
        if self.entry_test is None:
            return []
        return [step.key for step in self.steps if step.part is Part.MAIN and step.is_spared]

    @property
    def owed(self) -> int:
        """How many steps are owed: the obligatory ones and k. Nothing owed: not releasable."""
        optional = sum(not step.obligatory for step in self.counted)
        return len(self.counted) - optional + min(self.optional_owed, optional)


@dataclass(frozen=True)
class Done:
    """A step done: the day and instant it counts from (handed in, not marked), and its score as a share, if any."""

    day: date
    at: datetime
    score: Fraction | None = None


def open_steps(outline: Outline, done: Mapping[int, Done]) -> list[int]:
    """The keys of the steps that may be begun, done ones included, from top to bottom."""
    found = []
    missing = dict.fromkeys(Part, False)
    prepared = all(step.key in done for step in outline.steps if step.part is Part.PREPARATION and step.obligatory)
    # It is open from the start, as long as it can spare one anything.
    spares_some = any(key not in done for key in outline.spared)
    for step in outline.steps:
        if step.part is Part.ENTRY:
            found += [step.key] if spares_some or step.key in done else []
            continue
        waits = missing[step.part] and outline.order_of(step.part) is Order.IN_ORDER
        waits = waits or (step.part is Part.MAIN and not prepared)
        if step.key in done or not waits:
            found.append(step.key)
        if step.obligatory and step.key not in done:
            missing[step.part] = True
    return found


@dataclass(frozen=True)
class Progress:
    """How far one is: steps done of those owed, percent rounded down, and minutes left."""

    done: int
    owed: int
    percent: int
    minutes_left: int


def progress(outline: Outline, done: Mapping[int, Done], *, floor: int = 0) -> Progress:
    """How far one is. *floor* is the percentage it was before a release; none ever lowers it. Rule: 6."""
    steps = outline.counted
    optional = [step for step in steps if not step.obligatory]
    obligatory_left = [step for step in steps if step.obligatory and step.key not in done]
    k = min(outline.optional_owed, len(optional))
    optional_done = min(k, sum(step.key in done for step in optional))
    # Of what may be chosen the shortest: the minutes left are those that have to be spent.
    shortest = sorted(step.minutes for step in optional if step.key not in done)[: k - optional_done]
    obligatory = len(steps) - len(optional)
    count = obligatory - len(obligatory_left) + optional_done
    percent = count * 100 // outline.owed if outline.owed else 0
    minutes = sum(step.minutes for step in obligatory_left) + sum(shortest)
    return Progress(count, outline.owed, max(percent, floor), minutes)


@dataclass(frozen=True)
class Completed:
    """When a course became complete, and the weighted mean of its scored steps then (None without any)."""

    day: date
    at: datetime
    score: Fraction | None


def completed(outline: Outline, done: Mapping[int, Done]) -> Completed | None:
    """The moment the course became complete, or None while it is not. It is that of the step that made it true."""
    if not outline.owed:
        return None
    weights = {step.key: step.weight for step in outline.counted}
    earliest: dict[int, Done] = {}
    # In the order it was done: what came after the course was complete moves neither its day nor its score.
    for key, step_done in sorted(done.items(), key=lambda item: (item[1].at, item[0])):
        # Done in an earlier edition, which had this step.
        if key not in weights:
            continue
        earliest[key] = step_done
        reached = progress(outline, earliest)
        score = mean_score(weights, earliest)
        if reached.done == reached.owed and (
            outline.lowest_score is None or (score is not None and score >= outline.lowest_score)
        ):
            return Completed(step_done.day, step_done.at, score)
    return None


def mean_score(weights: Mapping[int, int], done: Mapping[int, Done]) -> Fraction | None:
    """The weighted mean of the scored steps, unrounded; None where nothing scored has any weight."""
    scored = [(weights[key], d.score) for key, d in done.items() if d.score is not None and weights[key]]
    total = sum(weight for weight, _ in scored)
    return sum((weight * score for weight, score in scored), Fraction(0)) / total if total else None


def obligatory_added(old: Sequence[StepRule], new: Sequence[StepRule]) -> list[int]:
    """The obligatory steps that *new* owes and *old* did not: a small release may not have any."""
    owed = {step.key for step in old if step.obligatory}
    return [step.key for step in new if step.obligatory and step.key not in owed]


class Effect(StrEnum):
    """What a release does to one person who has the course."""

    GETS_NEW = "gets_new"
    GOES_ON = "goes_on"
    FINISHES_OLD = "finishes_old"
    STAYS_DONE = "stays_done"
    RETAKES = "retakes"


def release_effect(*, begun: bool, covered: bool, size: Literal["small", "large"], retake_by: date | None) -> Effect:
    """Which case a person is at a release. Under way comes before covered: a renewal under way is an attempt."""
    if begun:
        return Effect.GOES_ON if size == "small" else Effect.FINISHES_OLD
    if covered:
        return Effect.RETAKES if size == "large" and retake_by is not None else Effect.STAYS_DONE
    return Effect.GETS_NEW
