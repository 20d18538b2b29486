"""A lesson being read: what was in view, what was answered, and when that makes a section done. Rule: 17."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from django.db import transaction

from stepladder.accounts import policy
from stepladder.core.lessons import Part, done_parts, open_parts, share_done
from stepladder.core.questions import BadAnswer
from stepladder.learning.actions import check_place, finish_step, keep_attempt
from stepladder.learning.models import Attempt
from stepladder.learning.time_spent import MOST_SECONDS, add_time
from stepladder.library.models import ModuleVersion
from stepladder.playing.reading import LONGEST_NAME, Unreadable, read_number, read_object
from stepladder.writing.asking import answer_of
from stepladder.writing.content import Content, content_of_version

__all__ = ["Reading", "read_lesson_report", "reading_of", "report_lesson"]

MOST_SEEN = 500
# So many reports are known again; no page keeps as many for later.
MOST_HEARD = 100


@dataclass(frozen=True)
class LessonReport:
    """What the page of a lesson tells: the blocks that were in view for a second, which section one is in, the seconds that passed,
    an answer to a check. *name*, *ago*: as in `playing.reading.Report`."""

    seen: tuple[str, ...]
    at: int
    seconds: float
    name: str = ""
    ago: float = 0.0
    check: str = ""
    given: Any = None


def read_lesson_report(body: bytes) -> LessonReport:
    """The report in a request's body. Raises Unreadable."""
    sent = read_object(body)
    seen, name, answer = sent.get("seen", []), sent.get("name", ""), sent.get("answer")
    if (
        not isinstance(seen, list)
        or len(seen) > MOST_SEEN
        or not all(isinstance(one, str) and len(one) <= 40 for one in seen)
    ):
        raise Unreadable(f"“seen” is a list of at most {MOST_SEEN} names of blocks")
    if not isinstance(name, str) or len(name) > LONGEST_NAME:
        raise Unreadable(f"“name” is text of at most {LONGEST_NAME} signs")
    check, given = "", None
    if answer is not None:
        if not isinstance(answer, dict) or set(answer) != {"check", "given"} or not isinstance(answer["check"], str):
            raise Unreadable("“answer” has the name of a check and what was given")
        check, given = answer["check"][:40], answer["given"]
    at, seconds, ago = (int(read_number(sent, "at", 1)), read_number(sent, "seconds", 0), read_number(sent, "ago", 0))
    return LessonReport(tuple(seen), at, seconds, name, ago, check, given)


@dataclass(frozen=True)
class Reading:
    """How far somebody is in a lesson."""

    content: Content
    done: list[str]
    open: list[str]
    kept: Mapping[str, Any]

    @property
    def share(self) -> Fraction:
        return share_done(self.content.parts, self.done)

    @property
    def is_done(self) -> bool:
        return self.share == 1


def reading_of(version: ModuleVersion, data: Mapping[str, Any] | None = None) -> Reading:
    """How far one is, by what an attempt keeps; without any one is at the beginning."""
    return _reading(content_of_version(version), data or {})


def _reading(content: Content, data: Mapping[str, Any]) -> Reading:
    kept = data.get("answers", {})
    best = _best(kept)
    parts, options = content.parts, content.options
    done = done_parts(
        parts, seen=set(data.get("seen", ())), answers=best, asks_right=options.asks_right, before=data.get("done", ())
    )
    return Reading(content, done, open_parts(parts, done=done, answers=best, in_order=options.in_order), kept)


def _best(kept: Mapping[str, Any]) -> dict[str, Fraction]:
    return {check: Fraction(answer["best"]) for check, answer in kept.items()}


@transaction.atomic
def report_lesson(*, attempt: Attempt, report: LessonReport, by: Any) -> Attempt:
    """What was in view, and an answer. A section that is closed collects nothing. Raises Unreadable, PlaceClosed, AttemptEnded."""
    policy.require(by, "learn", attempt)
    related = ("version", "enrolment__person", "enrolment__course", "module")
    attempt = Attempt.objects.select_related(*related).get(pk=attempt.pk)
    check_place(attempt.enrolment)
    if report.name and report.name in attempt.data.get("heard", ()):
        return attempt
    reading = reading_of(attempt.version, attempt.data)
    parts = [part for part in reading.content.parts if part.key in reading.open]
    data = attempt.data | {
        "seen": sorted({*attempt.data.get("seen", ()), *(set(report.seen) & _blocks(parts))}),
        "at": max(1, min(report.at, len(reading.content.sections))),
        "heard": [*attempt.data.get("heard", []), *([report.name] if report.name else [])][-MOST_HEARD:],
        "answered": "",
    }
    if report.check:
        data |= _answered(attempt, reading, report)
    after = _reading(reading.content, data)
    data["done"] = after.done
    keep_attempt(
        attempt=attempt,
        data=data,
        seconds=attempt.seconds + round(max(0, min(report.seconds, MOST_SECONDS))),
        status="completed" if after.is_done else "incomplete",
        score=None,
    )
    add_time(attempt=attempt, seconds=report.seconds, ago=report.ago)
    if after.is_done:
        finish_step(attempt=attempt, score=None, by=by)
    return attempt


def _blocks(parts: list[Part]) -> set[str]:
    return {block for part in parts for block in part.blocks}


def _answered(attempt: Attempt, reading: Reading, report: LessonReport) -> dict[str, Any]:
    """The answers, this one with them. What was right stays right."""
    found = reading.content.check(report.check)
    if found is None or found[0].key not in reading.open:
        raise Unreadable("there is no such check in a section that is open")
    try:
        answered = answer_of(found[1]["attrs"]["question"], report.check, f"attempt-{attempt.pk}", report.given)
    except BadAnswer as refusal:
        raise Unreadable(str(refusal)) from None
    before = attempt.data.get("answers", {}).get(report.check)
    best = max(answered.share, Fraction(before["best"]) if before else Fraction(0))
    answer = {"given": report.given, "best": str(best), "tries": (before["tries"] if before else 0) + 1}
    return {"answers": {**attempt.data.get("answers", {}), report.check: answer}, "answered": report.check}
