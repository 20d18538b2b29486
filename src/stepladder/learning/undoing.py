"""What follows where the revoking of a completion is taken back."""

from __future__ import annotations

from typing import Any

from stepladder import events
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.learning.models import Completion
from stepladder.learning.validity import refresh
from stepladder.people.models import Person
from stepladder.web.templatetags.web import day

__all__ = ["register"]


def _completion(row: Completion) -> str:
    return f"{row.person.name}: “{row.course.title}”, completed on {day(row.day)}, certificate {row.number}"


def _counts_otherwise(rows: list[Fact], act: events.Act) -> None:
    completions: Any = rows
    people = tuple(sorted({row.person_id for row in completions}))
    courses = tuple(sorted({row.course_id for row in completions}))
    refresh(people=people, courses=courses)
    known = tuple(row.pk for row in completions if not row.is_revoked)
    if known:
        events.announce(events.CompletionRecorded(known, people, courses), act)
    else:
        events.announce(events.CompletionRevoked(people, courses), act)


def register() -> None:
    undoing.add_table(Completion, describe=_completion, after=_counts_otherwise)
    undoing.add_verbs(
        "change records", "revoke_completion", "correct_completion", whose=undoing.of_rows(Person, Completion)
    )
