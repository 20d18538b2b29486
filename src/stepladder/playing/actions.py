"""What the players report, and when that makes a step done."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.coverage import (
    DEFAULT_DONE_SHARE,
    SHOWN_SECONDS,
    Allowance,
    Interval,
    add_plays,
    pages_shown,
    share,
    union,
)
from stepladder.learning.actions import check_place, finish_step, keep_attempt
from stepladder.learning.models import Attempt
from stepladder.learning.time_spent import MOST_SECONDS, add_time
from stepladder.playing.reading import Report
from stepladder.refusals import Refusal

__all__ = ["TooSoon", "open_player", "played_of", "plays_in", "plays_of", "report_pages", "report_played"]


def played_of(attempt: Attempt) -> list[Interval]:
    """The parts of a film or of sound that were played at least once."""
    return [(a, b) for a, b in attempt.data.get("played", [])]


def plays_of(attempt: Attempt) -> list[Interval]:
    """What was played or shown, time after time, in the order it was; of before it was kept, each part once."""
    return plays_in(attempt.data)


def plays_in(data: Mapping[str, Any]) -> list[Interval]:
    """`plays_of`, of what an attempt keeps."""
    once = data.get("played") or [[page - 1, page] for page in data.get("pages", [])]
    return [(a, b) for a, b in data.get("plays", once)]


class TooSoon(Refusal):
    """More was reported as played or shown than the time that passed has room for."""

    def __init__(self) -> None:
        super().__init__(
            "More was reported than the time since this page was opened has room for. It is not counted yet."
        )


def _allowance(attempt: Attempt) -> Allowance:
    stored = attempt.data.get("allowance")
    return Allowance(stored[0], datetime.fromisoformat(stored[1])) if stored else Allowance.begin(attempt.last_at)


def _kept(allowance: Allowance) -> dict[str, Any]:
    return {"allowance": [allowance.seconds, allowance.at.isoformat()]}


def _allowance_after(attempt: Attempt, reported: float) -> Allowance:
    """Raises TooSoon where what was reported does not fit the time that passed. Rule: 8."""
    allowance = _allowance(attempt).less(reported, clock.now())
    if allowance is None:
        raise TooSoon
    return allowance


@transaction.atomic
def open_player(*, attempt: Attempt, by: Any) -> None:
    """A page opens that plays a film or shows a document: from now on it may report what time has room for. Rule: 8.

    A package keeps its own time, by its launches.
    """
    policy.require(by, "learn", attempt)
    attempt = Attempt.objects.get(pk=attempt.pk)
    keep_attempt(
        attempt=attempt,
        data=attempt.data | _kept(_allowance(attempt).carried(clock.now())),
        seconds=attempt.seconds,
        status=attempt.status,
        score=attempt.score,
    )


def _open_attempt(attempt: Attempt, by: Any) -> Attempt:
    """The attempt as it is now, in a place that is open. Raises PlaceClosed."""
    policy.require(by, "learn", attempt)
    related = ("version", "enrolment__person", "enrolment__course", "module")
    found = Attempt.objects.select_related(*related).get(pk=attempt.pk)
    check_place(found.enrolment)
    return found


# So many reports are known again; no page keeps as many for later.
MOST_HEARD = 100


def _heard(attempt: Attempt, name: str) -> dict[str, Any]:
    """The names of reports that were taken, this one with them."""
    return {"heard": [*attempt.data.get("heard", []), name][-MOST_HEARD:]} if name else {}


def _was_heard(attempt: Attempt, name: str) -> bool:
    """Whether this very report was taken already: its answer was lost on the way, and it was sent once more."""
    return bool(name) and name in attempt.data.get("heard", [])


@transaction.atomic
def report_played(*, attempt: Attempt, report: Report, by: Any) -> Attempt:
    """Parts of a film or of sound that were really played, in media time; and where one is, to resume there. Rule: 8.

    Raises TooSoon, PlaceClosed.
    """
    attempt = _open_attempt(attempt, by)
    if _was_heard(attempt, report.name):
        return attempt
    duration, played = float(attempt.version.data["seconds"]), report.pairs
    allowance = _allowance_after(attempt, sum(max(0.0, min(b, duration) - max(a, 0.0)) for a, b in played))
    watched = union([*played_of(attempt), *played], duration)
    data = attempt.data | {
        "played": [[round(a, 2), round(b, 2)] for a, b in watched],
        "plays": [[round(a, 2), round(b, 2)] for a, b in add_plays(plays_of(attempt), played, duration)],
        "at": max(0.0, min(report.at, duration)),
        **_kept(allowance),
        **_heard(attempt, report.name),
    }
    _keep(attempt, data, report, is_done=share(watched, duration) >= DEFAULT_DONE_SHARE, by=by)
    return attempt


@transaction.atomic
def report_pages(*, attempt: Attempt, report: Report, by: Any) -> Attempt:
    """Pages of a document with how long each was shown at a stretch. Done when every page was. Rule: 8.

    Raises TooSoon, PlaceClosed.
    """
    attempt = _open_attempt(attempt, by)
    if _was_heard(attempt, report.name):
        return attempt
    pages = int(attempt.version.data["pages"])
    shown = [(int(page), length) for page, length in report.pairs]
    allowance = _allowance_after(attempt, sum(max(0.0, length) for _, length in shown))
    before = [(page, float(SHOWN_SECONDS)) for page in attempt.data.get("pages", [])]
    counted = sorted(pages_shown([*before, *shown], pages))
    # Time after time, as of film: page p is what lies between p - 1 and p.
    seen = [(page - 1.0, float(page)) for page, length in shown if page in pages_shown([(page, length)], pages)]
    data = attempt.data | {
        "pages": counted,
        "plays": [[int(a), int(b)] for a, b in add_plays(plays_of(attempt), seen, pages)],
        "at": max(1, min(int(report.at), pages)),
        **_kept(allowance),
        **_heard(attempt, report.name),
    }
    _keep(attempt, data, report, is_done=len(counted) == pages, by=by)
    return attempt


def _keep(attempt: Attempt, data: dict[str, Any], report: Report, *, is_done: bool, by: Any) -> None:
    keep_attempt(
        attempt=attempt,
        data=data,
        seconds=attempt.seconds + round(max(0, min(report.seconds, MOST_SECONDS))),
        status="completed" if is_done else "incomplete",
        score=None,
    )
    add_time(attempt=attempt, seconds=report.seconds, ago=report.ago)
    if is_done:
        finish_step(attempt=attempt, score=None, by=by)
