"""A training record for other programs: plain JSON, days as 2026-11-30, shares as exact fractions. docs/record-as-json.md describes it."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from stepladder.core.days import FOREVER
from stepladder.people.models import Person
from stepladder.records.hours import YearOfHours
from stepladder.records.queries import requirements_of
from stepladder.records.transcripts import TranscriptRow

__all__ = ["FORM", "machine_readable"]

# Raised when what stands in it means something else than before; what is added alone raises nothing.
FORM = "stepladder-training-record-1"


def machine_readable(
    person: Person,
    rows: Sequence[TranscriptRow],
    hours: Sequence[YearOfHours],
    *,
    day: date,
    known_on: date,
    organisation: str,
) -> dict[str, Any]:
    """What one person had done by a day, and what was asked of them then; both as known on a day."""
    return {
        "form": FORM,
        "organisation": organisation,
        "person": {
            "number": person.employee_number,
            "given_name": person.given_name,
            "family_name": person.family_name,
        },
        "day": day.isoformat(),
        "known_on": known_on.isoformat(),
        "asked": [
            {
                "course": row.course.title,
                "course_id": row.course.public_id,
                "status": str(row.status),
                "mandatory": row.mandatory,
                "due": _day(row.due),
                "valid_until": _day(row.valid_until),
            }
            for row in requirements_of(person, day, known_on)
        ],
        "done": [
            {
                "what": row.title,
                "day": row.day.isoformat(),
                "how": row.how,
                "score": row.exact_score,
                "valid_until": _day(row.valid_until),
                "certificate": row.number or None,
            }
            for row in rows
        ],
        "hours": [
            {"year_begins": year.first.isoformat(), "minutes": year.here, "minutes_elsewhere": year.outside}
            for year in hours
        ],
    }


def _day(day: date | None) -> str | None:
    """None for what is not there, and for what does not end."""
    return day.isoformat() if day is not None and day != FOREVER else None
