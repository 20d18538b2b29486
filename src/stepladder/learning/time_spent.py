"""Keeping how long people learn: the stretches that players tell of, and what they come to by day. Rule: 16."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime, timedelta

from django.db import transaction

from stepladder import clock
from stepladder.core.time_spent import TimeSpan, added, by_day, idle_between, laid_back, without_overlaps
from stepladder.learning.models import Attempt, Stretch

__all__ = ["MOST_SECONDS", "add_launch_time", "add_signed_time", "add_time", "drop_time", "seconds_by_day"]

# No report tells of more: it is made every few seconds, and of a line that was gone a few minutes are told at once.
MOST_SECONDS = 600.0
# What is told later than this is not believed.
LATEST = timedelta(days=7)


@transaction.atomic
def add_time(*, attempt: Attempt, seconds: float, ago: float = 0.0) -> None:
    """So many seconds more, of which the last was *ago* seconds before now (what was kept without a line is told later).

    Nobody spends time before the attempt was begun.
    """
    lived = min(max(0.0, seconds), MOST_SECONDS)
    end = clock.now() - min(timedelta(seconds=max(0.0, ago)), LATEST)
    if not lived or end <= attempt.begun_at:
        return
    row = Stretch.objects.filter(attempt=attempt, source="").order_by("-ended_at").first()
    last = TimeSpan(row.began_at, row.ended_at) if row else None
    span = added(last, end=end, seconds=min(lived, (end - attempt.begun_at).total_seconds()))
    if row is not None and last is not None and span.start == last.start:
        Stretch.objects.filter(pk=row.pk).update(ended_at=span.end)
    else:
        Stretch.objects.create(attempt=attempt, began_at=span.start, ended_at=span.end)


@transaction.atomic
def add_launch_time(*, attempt: Attempt, source: str, reported: float | None) -> None:
    """A commit of a launch of a package: the seconds that it reports by now, or None where it reports none."""
    now = clock.now()
    row = Stretch.objects.filter(attempt=attempt, source=source).first()
    is_new = row is None
    if row is None:
        row = Stretch(attempt=attempt, source=source, first_at=now, began_at=now, ended_at=now)
    else:
        row.idle_seconds += idle_between(row.ended_at, now).total_seconds()
    span = laid_back(first=row.first_at or now, last=now, reported=reported, idle=timedelta(seconds=row.idle_seconds))
    row.began_at, row.ended_at = span.start, span.end
    row.save(update_fields=None if is_new else ["idle_seconds", "began_at", "ended_at"])


def add_signed_time(*, attempt: Attempt, source: str, until: datetime, minutes: int) -> None:
    """So many minutes, which ended at the instant from which what was signed counts. Told again, it is as once. Rules: 16, 20."""
    began = until - timedelta(minutes=minutes)
    said = {"began_at": began, "ended_at": until}
    Stretch.objects.update_or_create(attempt=attempt, source=source, defaults=said)


def drop_time(*, attempt: Attempt, source: str) -> None:
    """What was told by a source never was."""
    Stretch.objects.filter(attempt=attempt, source=source).delete()


def seconds_by_day(attempts: Iterable[Attempt], *, since: datetime | None = None) -> dict[tuple[int, date], float]:
    """(attempt, day) → seconds, of one person's attempts: no moment twice, divided at the organisation's midnight."""
    rows = Stretch.objects.filter(attempt__in=list(attempts))
    if since is not None:
        rows = rows.filter(ended_at__gt=since)
    spans = [TimeSpan(began, ended, key) for key, began, ended in rows.values_list("attempt", "began_at", "ended_at")]
    return by_day(without_overlaps(spans), clock.zone())
