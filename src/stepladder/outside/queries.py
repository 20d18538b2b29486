"""Reading training from outside."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
from django.db.models import Q, QuerySet
from numpy.typing import NDArray

from stepladder.accounts import policy
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.outside.models import OutsideTraining
from stepladder.people.models import Person
from stepladder.records.transcripts import TranscriptRow

__all__ = ["history_of", "minutes_of", "minutes_outside", "to_confirm", "transcript_rows", "visible_training"]

State = OutsideTraining.State


def history_of(person: Person, *, day: date, known_on: date) -> QuerySet[OutsideTraining]:
    """What somebody had elsewhere by a day, as written down by another day, the newest first; withdrawn ones left out."""
    rows = OutsideTraining.objects.filter(person=person, day__lte=day, asked_at__date__lte=known_on)
    return rows.exclude(state=State.WITHDRAWN).select_related("completion", "course").order_by("-day", "-pk")


def transcript_rows(person: Person, day: date, known_on: date) -> list[TranscriptRow]:
    """What is confirmed and counts as no course of ours: what counts as one is among the completions already."""
    rows = history_of(person, day=day, known_on=known_on).filter(state=State.CONFIRMED, course__isnull=True)
    return [
        TranscriptRow(
            row.title, row.day, f"from {row.provider}" if row.provider else "from outside", valid_until=row.own_expiry
        )
        for row in rows
    ]


def minutes_of(person: Person, day: date, known_on: date) -> list[tuple[date, int]]:
    """(day, minutes) of what somebody learned elsewhere by a day, where it says how long, as confirmed by another day."""
    rows = OutsideTraining.objects.filter(person=person, day__lte=day, state=State.CONFIRMED, minutes__gt=0)
    return [
        (on, minutes or 0) for on, minutes in rows.filter(decided_at__date__lte=known_on).values_list("day", "minutes")
    ]


def minutes_outside(first: date, last: date) -> dict[str, NDArray[np.int64]]:
    """What is confirmed of these days, and says how long it took: key, person, course (0: none of ours), day (an ordinal), minutes."""
    rows = OutsideTraining.objects.filter(day__gte=first, day__lte=last, state=State.CONFIRMED, minutes__gt=0)
    columns = {
        "key": Column("pk"),
        "person": Column("person_id"),
        "course": Column("course_id"),
        "day": Column("day", Holds.DAYS),
        "minutes": Column("minutes"),
    }
    return {name: column.astype(np.int64) for name, column in read_arrays(rows, columns).items()}


def to_confirm(account: Any) -> QuerySet[OutsideTraining]:
    """What waits for somebody who keeps records, the oldest first; nobody's own."""
    people = policy.visible(account, "change records", Person.objects.all())
    rows = OutsideTraining.objects.filter(state=State.ASKED, person__in=people).exclude(person__account=account.pk)
    return rows.select_related("person", "course").order_by("asked_at", "pk")


def visible_training(account: Any) -> QuerySet[OutsideTraining]:
    """That of the people whose records the account reads."""
    people = policy.visible(account, "read records", Person.objects.all())
    return OutsideTraining.objects.filter(Q(person__in=people)).select_related("person", "course", "completion")
