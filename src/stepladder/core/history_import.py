"""A file of what people completed before, or elsewhere: its columns, and each of its rows judged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from datetime import date
from decimal import Decimal, InvalidOperation
from enum import StrEnum
from fractions import Fraction

from stepladder.core.days import DayError, DayOrder, read_day

__all__ = ["COLUMNS", "HistoryWorld", "JudgedRow", "RowVerdict", "judge_rows", "match_heads"]

# Column → what it is called, and what else heads are called that mean it.
COLUMNS: Mapping[str, tuple[str, tuple[str, ...]]] = {
    "number": ("Number", ("employee number", "personnel number", "employee id", "staff number", "no")),
    "course": ("Course", ("course title", "training", "what", "title")),
    "day": ("Completed on", ("date", "day", "completed", "completion date", "done on", "on")),
    "valid_until": ("Valid until", ("expires", "expiry", "expires on", "expiry date")),
    "score": ("Score", ("result", "score %", "score, %", "percent")),
    "provider": ("Given by", ("provider", "school", "by")),
    "note": ("Note", ("remark", "comment", "remarks")),
}
NEEDED = ("number", "course", "day")


class RowVerdict(StrEnum):
    """What becomes of a row: it counts as a course, stands in the history alone, is there already, or can't be read."""

    COUNTS = "counts as a course"
    HISTORY = "stands in the history"
    KNOWN = "is recorded already"
    WRONG = "can’t be recorded"


@dataclass(frozen=True)
class HistoryWorld:
    """What rows are judged by: employee numbers and titles of courses in lower case, each with a key; what is *completed* already, and what
    stands in the *history* (person, title in lower case, day)."""

    people: Mapping[str, int]
    courses: Mapping[str, int]
    completed: Set[tuple[int, int, date]]
    history: Set[tuple[int, str, date]]
    today: date
    order: DayOrder = ""


@dataclass(frozen=True)
class JudgedRow:
    """A row as it is understood; *reason* says what is wrong with it, or where it is already."""

    verdict: RowVerdict
    reason: str = ""
    person: int | None = None
    course: int | None = None
    title: str = ""
    day: date | None = None
    own_expiry: date | None = None
    score: Fraction | None = None
    provider: str = ""
    note: str = ""


def match_heads(heads: Sequence[str]) -> tuple[dict[str, int], list[str]]:
    """Column → its place among the heads; and the labels of needed columns that are missing."""
    names = {name: key for key, (label, others) in COLUMNS.items() for name in (label.casefold(), *others)}
    found: dict[str, int] = {}
    for place, head in enumerate(heads):
        key = names.get(" ".join(head.casefold().split()))
        if key is not None:
            found.setdefault(key, place)
    return found, [COLUMNS[key][0] for key in NEEDED if key not in found]


def judge_rows(
    rows: Sequence[Sequence[str]], numbers: Sequence[int], places: Mapping[str, int], world: HistoryWorld
) -> list[JudgedRow]:
    """Each row judged, in order; of two rows that say the same the second is recorded already. *numbers* are the rows' in the file."""
    seen: dict[tuple[int, int | str, date], int] = {}
    found = []
    for cells, number in zip(rows, numbers, strict=True):
        row = _judged({key: _cell(cells, place) for key, place in places.items()}, world)
        if row.verdict in (RowVerdict.COUNTS, RowVerdict.HISTORY) and row.person is not None and row.day is not None:
            same = (row.person, row.course if row.course is not None else row.title.casefold(), row.day)
            if same in seen:
                row = JudgedRow(RowVerdict.KNOWN, f"Row {seen[same]} of the file says the same.")
            else:
                seen[same] = number
        found.append(row)
    return found


def _cell(cells: Sequence[str], place: int) -> str:
    return " ".join(cells[place].split()) if place < len(cells) else ""


def _judged(said: Mapping[str, str], world: HistoryWorld) -> JudgedRow:
    person = world.people.get(said["number"].casefold())
    if person is None:
        number = said["number"]
        return _wrong(
            f"There is nobody with the number “{number}”." if number else "It names nobody: the number is empty."
        )
    title = said["course"]
    if not title:
        return _wrong("It says no course, or what it was.")
    try:
        day = read_day(said["day"], order=world.order, today=world.today)
        own_expiry = (
            read_day(until, order=world.order, today=world.today) if (until := said.get("valid_until", "")) else None
        )
    except DayError as error:
        return _wrong(str(error))
    if day > world.today:
        return _wrong("Nothing is completed on a day to come.")
    if own_expiry is not None and own_expiry < day:
        return _wrong("It would have run out before it was completed.")
    score, wrong = _score(said.get("score", ""))
    if wrong:
        return _wrong(wrong)
    course = world.courses.get(title.casefold())
    if course is not None and (person, course, day) in world.completed:
        return JudgedRow(RowVerdict.KNOWN, "That completion is recorded already.")
    if course is None and (person, title.casefold(), day) in world.history:
        return JudgedRow(RowVerdict.KNOWN, "It stands in the history already.")
    verdict = RowVerdict.COUNTS if course is not None else RowVerdict.HISTORY
    return JudgedRow(
        verdict,
        "",
        person,
        course,
        title[:160],
        day,
        own_expiry,
        score,
        said.get("provider", "")[:160],
        said.get("note", "")[:2000],
    )


def _wrong(reason: str) -> JudgedRow:
    return JudgedRow(RowVerdict.WRONG, reason)


def _score(text: str) -> tuple[Fraction | None, str]:
    """A share of a score in per cent, "85", "85 %", "0,85 is 0.85 %": never guessed; and what is wrong with it."""
    plain = text.replace("%", "").replace(",", ".").strip()
    if not plain:
        return None, ""
    try:
        value = Decimal(plain)
    except InvalidOperation:
        return None, f"“{text}” is no score. Write it in per cent, like 85."
    if not value.is_finite() or not 0 <= value <= 100:
        return None, f"“{text}” is no score: it lies between 0 and 100 per cent."
    return Fraction(value) / 100, ""
