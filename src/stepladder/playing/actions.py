"""What the players report, and when that makes a step done."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db import transaction

from stepladder.accounts import policy
from stepladder.core.coverage import DEFAULT_DONE_SHARE, SHOWN_SECONDS, Interval, pages_shown, share, union
from stepladder.learning.actions import finish_step, keep_attempt
from stepladder.learning.models import Attempt

__all__ = ["report_pages", "report_played", "share_of"]


def share_of(attempt: Attempt) -> int:
    """How much of a film was watched, or of a document shown, in percent rounded down."""
    data = attempt.version.data
    if "seconds" in data:
        return int(share(_intervals(attempt), data["seconds"]) * 100)
    if "pages" in data:
        return int(len(attempt.data.get("pages", [])) * 100 // max(data["pages"], 1))
    return 0


def _intervals(attempt: Attempt) -> list[Interval]:
    return [(a, b) for a, b in attempt.data.get("played", [])]


@transaction.atomic
def report_played(*, attempt: Attempt, played: Sequence[Interval], at: float, seconds: int, by: Any) -> Attempt:
    """Parts of a film or of sound that were really played, in media time; and where one is, to resume there. Rule: 8."""
    policy.require(by, "learn", attempt)
    attempt = Attempt.objects.select_related("version", "enrolment__person", "enrolment__course", "module").get(
        pk=attempt.pk
    )
    duration = float(attempt.version.data["seconds"])
    watched = union([*_intervals(attempt), *played], duration)
    data = attempt.data | {
        "played": [[round(a, 2), round(b, 2)] for a, b in watched],
        "at": max(0.0, min(at, duration)),
    }
    is_done = share(watched, duration) >= DEFAULT_DONE_SHARE
    keep_attempt(
        attempt=attempt,
        data=data,
        seconds=attempt.seconds + max(0, min(seconds, 600)),
        status="completed" if is_done else "incomplete",
        score=None,
    )
    if is_done:
        finish_step(attempt=attempt, score=None, by=by)
    return attempt


@transaction.atomic
def report_pages(*, attempt: Attempt, shown: Sequence[tuple[int, float]], at: int, seconds: int, by: Any) -> Attempt:
    """Pages of a document with how long each was shown at a stretch. Done when every page was. Rule: 8."""
    policy.require(by, "learn", attempt)
    attempt = Attempt.objects.select_related("version", "enrolment__person", "enrolment__course", "module").get(
        pk=attempt.pk
    )
    pages = int(attempt.version.data["pages"])
    before = [(page, float(SHOWN_SECONDS)) for page in attempt.data.get("pages", [])]
    seen = sorted(pages_shown([*before, *shown], pages))
    is_done = len(seen) == pages
    keep_attempt(
        attempt=attempt,
        data=attempt.data | {"pages": seen, "at": max(1, min(at, pages))},
        seconds=attempt.seconds + max(0, min(seconds, 600)),
        status="completed" if is_done else "incomplete",
        score=None,
    )
    if is_done:
        finish_step(attempt=attempt, score=None, by=by)
    return attempt
