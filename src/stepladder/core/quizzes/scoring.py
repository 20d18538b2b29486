"""What an attempt comes to, and which attempt counts. Scores are compared unrounded and shown rounded down. Rule: 7."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from stepladder.core.quizzes.plan import Counts, Plan

__all__ = ["Earned", "counting", "has_passed", "score_of"]


@dataclass(frozen=True)
class Earned:
    """What a question of an attempt brought: its section, its points, and the share of them; None while a marker is to say it."""

    section: int
    points: int
    share: Fraction | None


def score_of(plan: Plan, earned: Iterable[Earned]) -> Fraction | None:
    """The share of an attempt: all points of all; where sections have weights the mean of their shares by them, one without weighs 1.

    None while something is still to be marked, and where nothing was asked.
    """
    rows = list(earned)
    if not rows or any(row.share is None for row in rows):
        return None
    if all(section.weight is None for section in plan.sections):
        return _share(rows)
    shares = []
    for number, section in enumerate(plan.sections):
        share = _share([row for row in rows if row.section == number])
        if share is not None:
            shares.append((1 if section.weight is None else section.weight, share))
    return sum((weight * share for weight, share in shares), Fraction(0)) / sum(weight for weight, _ in shares)


def _share(rows: Sequence[Earned]) -> Fraction | None:
    points = sum(row.points for row in rows)
    got = sum((row.points * row.share for row in rows if row.share is not None), Fraction(0))
    return got / points if points else None


def has_passed(score: Fraction, plan: Plan) -> bool:
    """Whether a score reaches the pass mark, ends included; without one, handing in is passing."""
    mark = plan.conditions.pass_mark
    return mark is None or score * 100 >= mark


def counting(scores: Sequence[Fraction], counts: Counts) -> int:
    """Which of the scores counts, in the order of their attempts, as its place. Of several alike the earlier."""
    if counts == Counts.FIRST:
        return 0
    if counts == Counts.LAST:
        return len(scores) - 1
    return scores.index(max(scores))
