"""Tasks that are done on the job and signed off: the check list, what was seen of it when, and when that makes it done. Rule: 6.

Whoever signs off sees some criteria at a time; what was met once stays met. The task counts from when it was done, not from when it
was signed: from the day on which, in the order of the days it was seen, enough was met for the first time.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from datetime import date, datetime
from typing import Any

from stepladder.core.numbers import whole_number

__all__ = [
    "LONGEST_DAY",
    "MOST_CRITERIA",
    "BadCheckList",
    "CheckList",
    "Criterion",
    "Said",
    "Seen",
    "drawn_or_typed",
    "enough",
    "faults_of",
    "in_words",
    "kept",
    "left_of",
    "made_true_by",
    "moved",
    "problems_of",
    "read_check_list",
]

MOST_CRITERIA = 60
LONGEST_TEXT = 300
LONGEST_NOTE = 1_000
LONGEST_DAY = 24 * 60
MOST_DAYS_BACK = 365
# Of a signature that is drawn: strokes, and points in all of them; each point in thousandths of the field's width.
MOST_STROKES = 80
MOST_POINTS = 4_000
FIELD = (1000, 400)


class BadCheckList(ValueError):
    """What was sent is no check list; the message is for people."""


@dataclass(frozen=True)
class Criterion:
    """Something that is seen to be done: what, how one tells, and whether it must be met whatever else is. *key* never changes."""

    key: str
    text: str
    note: str = ""
    is_must: bool = False


@dataclass(frozen=True)
class CheckList:
    """What is looked at on the job. *needed*: so many of the criteria, those that must be met among them; None: all of them.

    *minutes*: how long it takes as a rule. *days_back*: how many days before today may be signed off, with a reason.
    """

    criteria: tuple[Criterion, ...] = ()
    needed: int | None = None
    minutes: int = 20
    days_back: int = 14
    asks_photo: bool = False
    is_signed_by_learner: bool = True

    @property
    def count(self) -> int:
        """How many criteria are owed."""
        return len(self.criteria) if self.needed is None else self.needed


@dataclass(frozen=True)
class Seen:
    """What was met on a day, at the instant from which it counts."""

    day: date
    at: datetime
    met: frozenset[str]


@dataclass(frozen=True)
class Said:
    """What a sign-off says, as it is checked: *today* is the day on which it was made. *met_before*: what others have signed of it
    already; *has_photo*: it or one of those has one.
    """

    day: date
    today: date
    opened: date
    reason: str
    minutes: int
    has_photo: bool
    is_signed: bool
    is_signed_by_learner: bool
    met: frozenset[str]
    not_yet: frozenset[str]
    met_before: frozenset[str] = frozenset()


def read_check_list(raw: Mapping[str, Any]) -> CheckList:
    """The check list in its JSON form. Raises BadCheckList."""
    rows = raw.get("criteria", [])
    if not isinstance(rows, Sequence) or isinstance(rows, str) or len(rows) > MOST_CRITERIA:
        raise BadCheckList(f"A check list has {MOST_CRITERIA} criteria at most.")
    criteria = tuple(_criterion(row) for row in rows)
    if len({one.key for one in criteria}) < len(criteria):
        raise BadCheckList("Two criteria have the same key.")
    needed = raw.get("needed")
    return CheckList(
        criteria,
        None if needed is None else _number(needed, 1, MOST_CRITERIA, "How many must be met"),
        _number(raw.get("minutes", 20), 1, LONGEST_DAY, "The minutes that it takes"),
        _number(raw.get("days_back", 14), 0, MOST_DAYS_BACK, "The days that may be signed off later"),
        raw.get("asks_photo") is True,
        raw.get("is_signed_by_learner", True) is not False,
    )


def _criterion(row: Any) -> Criterion:
    if not isinstance(row, Mapping):
        raise BadCheckList("A criterion has a text.")
    key, text, note = (row.get(name, "") for name in ("key", "text", "note"))
    if not all(isinstance(one, str) for one in (key, text, note)) or not 0 < len(key) <= 20:
        raise BadCheckList("A criterion has a key and a text.")
    text, note = " ".join(text.split()), note.replace("\r\n", "\n").strip()
    if not text:
        raise BadCheckList("Say what is to be seen.")
    if len(text) > LONGEST_TEXT or len(note) > LONGEST_NOTE:
        raise BadCheckList(
            f"What is to be seen has {LONGEST_TEXT} signs at most, and how one tells {LONGEST_NOTE:,}.".replace(
                ",", " "
            )
        )
    return Criterion(key, text, note, row.get("is_must") is True)


def _number(given: Any, low: int, high: int, what: str) -> int:
    found = given if isinstance(given, int) and not isinstance(given, bool) else whole_number(str(given))
    if found is None or not low <= found <= high:
        raise BadCheckList(f"{what}: a whole number from {low} to {high}.")
    return found


def kept(check_list: CheckList) -> dict[str, Any]:
    """The JSON form, as `read_check_list` reads it."""
    return {**asdict(check_list), "criteria": [asdict(one) for one in check_list.criteria]}


def problems_of(check_list: CheckList) -> list[str]:
    """What keeps a task from being released, each as a sentence without its end."""
    if not check_list.criteria:
        return ["there is nothing to be seen yet: add what is signed off"]
    musts = sum(one.is_must for one in check_list.criteria)
    if check_list.needed is not None and check_list.needed > len(check_list.criteria):
        return [f"{check_list.needed} criteria are needed, and there are {len(check_list.criteria)}"]
    if check_list.needed is not None and musts > check_list.needed:
        return [f"{musts} criteria must be met in any case, and only {check_list.needed} are needed"]
    return []


def in_words(check_list: CheckList) -> str:
    """What makes it done: "all 6", "4 of 6, 2 of them in any case"."""
    total, musts = len(check_list.criteria), sum(one.is_must for one in check_list.criteria)
    if check_list.needed is None or check_list.needed >= total:
        return f"all {total}"
    said = f"{check_list.needed} of {total}"
    return f"{said}, {musts} of them in any case" if musts else said


def enough(check_list: CheckList, met: Collection[str]) -> bool:
    """Whether what was met makes the task done."""
    return bool(check_list.criteria) and left_of(check_list, met) == 0


def left_of(check_list: CheckList, met: Collection[str]) -> int:
    """How many more are to be met at least."""
    known = [one for one in check_list.criteria if one.key in met]
    missing_musts = sum(one.is_must for one in check_list.criteria) - sum(one.is_must for one in known)
    return max(missing_musts, check_list.count - len(known), 0)


def made_true_by(check_list: CheckList, seen: Iterable[Seen]) -> Seen | None:
    """What made the task done, in the order of the instants from which each counts; None while it is not."""
    met: set[str] = set()
    for one in sorted(seen, key=lambda each: (each.day, each.at)):
        met |= one.met
        if enough(check_list, met):
            return one
    return None


def faults_of(check_list: CheckList, said: Said) -> dict[str, str]:
    """What is wrong with a sign-off: field → a sentence that says what to do. Empty where nothing is."""
    found: dict[str, str] = {}
    known = {one.key for one in check_list.criteria}
    if not said.met and not said.not_yet:
        found["met"] = "Say of at least one criterion whether it was met."
    elif (said.met | said.not_yet) - known:
        found["met"] = "The check list has changed since this page was opened. Open it again; what you noted is kept."
    elif said.met & said.not_yet:
        found["met"] = "A criterion is met or not yet, not both."
    back = (said.today - said.day).days
    if back < 0:
        found["day"] = "That day is still to come. Sign off what was seen today or before."
    elif said.day < said.opened:
        found["day"] = (
            f"The place in the course was opened on {said.opened.day} {said.opened:%b %Y}. What was seen before does not count for it."
        )
    elif back > check_list.days_back:
        found["day"] = (
            "Only what is seen today is signed off."
            if not check_list.days_back
            else f"At most {check_list.days_back} days back may be signed off. Let it be shown again."
        )
    elif back and not said.reason.strip():
        found["reason"] = "Say why it is signed off only now."
    if not 1 <= said.minutes <= LONGEST_DAY:
        found["minutes"] = "Say how many minutes it took, from 1 to 1440."
    if check_list.asks_photo and not said.has_photo and enough(check_list, said.met | said.met_before):
        found["photo"] = "This task asks for a photo. Take one, or choose one."
    if not said.is_signed:
        found["signature"] = "Sign in the field, or type your name."
    if check_list.is_signed_by_learner and not said.is_signed_by_learner:
        found["signature_of_learner"] = "Let whoever did it sign in the field, or type their name."
    return found


def drawn_or_typed(raw: Any) -> list[list[list[int]]] | str | None:
    """A signature: strokes of [x, y] in thousandths of the field's width, a name that was typed, or None for none.

    Raises BadCheckList where it is neither, or larger than anybody signs.
    """
    if raw in (None, "", []):
        return None
    if isinstance(raw, str):
        return " ".join(raw.split())[:120] or None
    if not isinstance(raw, list) or len(raw) > MOST_STROKES or not all(isinstance(stroke, list) for stroke in raw):
        raise BadCheckList("The signature cannot be read. Sign once more.")
    if sum(len(stroke) for stroke in raw) > MOST_POINTS:
        raise BadCheckList("The signature is longer than is kept. Sign once more, in a few strokes.")
    strokes = [[_point(point) for point in stroke] for stroke in raw]
    # A dot is no name.
    return strokes if sum(len(stroke) for stroke in strokes) > 5 else None


def _point(raw: Any) -> list[int]:
    if (
        not isinstance(raw, list)
        or len(raw) != 2
        or not all(isinstance(one, int) and not isinstance(one, bool) and -200 <= one <= 1200 for one in raw)
    ):
        raise BadCheckList("The signature cannot be read. Sign once more.")
    return [min(max(one, 0), most) for one, most in zip(raw, FIELD, strict=True)]


def moved(check_list: CheckList, key: str, by: int) -> CheckList:
    """The criterion so many places further down (up: below 0)."""
    rows = list(check_list.criteria)
    at = next((place for place, one in enumerate(rows) if one.key == key), None)
    if at is None:
        return check_list
    one = rows.pop(at)
    rows.insert(min(max(at + by, 0), len(rows)), one)
    return replace(check_list, criteria=tuple(rows))
