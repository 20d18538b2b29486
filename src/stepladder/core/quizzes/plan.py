"""What a quiz is made of: sections of questions, chosen one by one or drawn from banks, and its conditions. Rule: 7."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

from stepladder.core.numbers import exact_number
from stepladder.core.questions.variants import written

__all__ = [
    "BadPlan",
    "Conditions",
    "Counts",
    "Pick",
    "Plan",
    "PlanSection",
    "Shows",
    "When",
    "kept",
    "read_conditions",
    "read_plan",
]

MOST_SECTIONS, MOST_PICKS, MOST_DRAWN = 30, 200, 200
DIFFICULTIES = ("", "easy", "medium", "hard")


class BadPlan(ValueError):
    """What was sent is no plan of a quiz; the message is for people."""


class Counts(StrEnum):
    """Which attempt counts. Of several alike the earlier one."""

    BEST = "best"
    LAST = "last"
    FIRST = "first"


class Shows(StrEnum):
    """What is shown of an attempt that was handed in; each says what those before it say, too."""

    NOTHING = "nothing"
    SCORE = "score"
    WHICH = "which"
    RIGHT = "right"


class When(StrEnum):
    """When it is shown."""

    AT_ONCE = "at once"
    PASSED = "passed"
    LAST = "last"


@dataclass(frozen=True)
class Pick:
    """Questions that an attempt gets: one by its key, or *count* drawn from a bank by what they are about. *points* is for each."""

    points: int = 1
    # One question.
    question: str = ""
    # Or a draw.
    bank: str = ""
    topic: str = ""
    difficulty: str = ""
    skill: str = ""
    count: int = 1

    @property
    def is_draw(self) -> bool:
        return not self.question


@dataclass(frozen=True)
class PlanSection:
    """A section: what stands above its questions, and what it weighs beside the others (None: by its points)."""

    title: str = ""
    intro: str = ""
    weight: int | None = None
    picks: tuple[Pick, ...] = ()

    @property
    def count(self) -> int:
        return sum(pick.count for pick in self.picks)

    @property
    def points(self) -> int:
        return sum(pick.count * pick.points for pick in self.picks)


@dataclass(frozen=True)
class Conditions:
    """How a quiz is taken, when it is passed, and what is told afterwards."""

    # None: as long as one likes.
    minutes: int | None = None
    # None: as often as one likes.
    attempts: int | None = None
    # Between two attempts.
    pause_hours: int = 0
    counts: Counts = Counts.BEST
    # In per cent, exactly; None: whoever hands it in has done it.
    pass_mark: Fraction | None = Fraction(80)
    is_one_at_a_time: bool = False
    is_mixed: bool = True
    shows: Shows = Shows.WHICH
    when: When = When.AT_ONCE
    # So many per cent of what is handed in are marked by two, neither of whom knows what the other gave.
    marked_twice: int = 0

    @property
    def pass_mark_words(self) -> str:
        """The pass mark as a number of per cent; empty without one."""
        return "" if self.pass_mark is None else written(self.pass_mark)


@dataclass(frozen=True)
class Plan:
    """A quiz as it is written, and as it was released."""

    sections: tuple[PlanSection, ...] = (PlanSection(),)
    conditions: Conditions = field(default_factory=Conditions)

    @property
    def count(self) -> int:
        return sum(section.count for section in self.sections)

    @property
    def points(self) -> int:
        return sum(section.points for section in self.sections)

    def with_sections(self, sections: Sequence[PlanSection]) -> Plan:
        return replace(self, sections=tuple(sections))


def kept(plan: Plan) -> dict[str, Any]:
    """The plan in its JSON form."""
    conditions = asdict(plan.conditions)
    mark = plan.conditions.pass_mark
    conditions["pass_mark"] = None if mark is None else str(mark)
    return {"sections": [asdict(section) for section in plan.sections], "conditions": conditions}


def read_plan(raw: object) -> Plan:
    """The plan in its JSON form. Raises BadPlan."""
    if not isinstance(raw, Mapping) or not isinstance(raw.get("sections"), list):
        raise BadPlan("A quiz has sections.")
    sections = raw["sections"]
    if not 1 <= len(sections) <= MOST_SECTIONS:
        raise BadPlan(f"A quiz has between 1 and {MOST_SECTIONS} sections.")
    plan = Plan(tuple(_section(one) for one in sections), read_conditions(raw.get("conditions") or {}))
    if plan.count > MOST_DRAWN:
        raise BadPlan(f"A quiz asks at most {MOST_DRAWN} questions.")
    return plan


def _section(raw: Any) -> PlanSection:
    picks = raw.get("picks", ())
    if len(picks) > MOST_PICKS:
        raise BadPlan(f"A section has at most {MOST_PICKS} questions and draws.")
    weight = raw.get("weight")
    return PlanSection(
        str(raw.get("title", ""))[:200],
        str(raw.get("intro", ""))[:2000],
        None if weight is None else _whole(weight, "The weight of a section", 1, 100),
        tuple(_pick(one) for one in picks),
    )


def _pick(raw: Mapping[str, Any]) -> Pick:
    question, bank = str(raw.get("question", ""))[:20], str(raw.get("bank", ""))[:20]
    if bool(question) == bool(bank):
        raise BadPlan("Choose a question, or a bank to draw from.")
    difficulty = str(raw.get("difficulty", ""))
    if difficulty not in DIFFICULTIES:
        raise BadPlan("A difficulty is easy, medium or hard.")
    return Pick(
        _whole(raw.get("points", 1), "Points", 1, 100),
        question,
        bank,
        str(raw.get("topic", ""))[:80],
        difficulty,
        str(raw.get("skill", ""))[:80],
        1 if question else _whole(raw.get("count", 1), "The number of questions to draw", 1, MOST_DRAWN),
    )


def read_conditions(raw: Mapping[str, Any]) -> Conditions:
    """The conditions in their JSON form; what is not said is as it is by itself. Raises BadPlan."""
    plain = Conditions()
    said = {**asdict(plain), "pass_mark": str(plain.pass_mark), **raw}
    mark = None if said["pass_mark"] in (None, "") else exact_number(_as_number(said["pass_mark"]))
    if said["pass_mark"] not in (None, "") and (mark is None or not 0 <= mark <= 100):
        raise BadPlan("A pass mark is between 0 and 100 %.")
    try:
        counts, shows, when = Counts(said["counts"]), Shows(said["shows"]), When(said["when"])
    except ValueError:
        raise BadPlan("Choose one of the answers that are offered.") from None
    return Conditions(
        _or_none(said["minutes"], "The time", 1, 24 * 60),
        _or_none(said["attempts"], "The number of attempts", 1, 100),
        _whole(said["pause_hours"], "The pause", 0, 24 * 366),
        counts,
        mark,
        bool(said["is_one_at_a_time"]),
        bool(said["is_mixed"]),
        shows,
        when,
        _whole(said["marked_twice"], "The share that is marked twice", 0, 100),
    )


def _as_number(value: object) -> str:
    text = str(value)
    # Kept exactly: 200/3 is no decimal.
    return str(float(Fraction(text))) if "/" in text else text


def _or_none(value: Any, what: str, least: int, most: int) -> int | None:
    return None if value is None else _whole(value, what, least, most)


def _whole(value: Any, what: str, least: int, most: int) -> int:
    if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
        raise BadPlan(f"{what} is a whole number from {least} to {most}.")
    return value
