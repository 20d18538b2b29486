"""What follows when acts on assignments and waivers are taken back."""

from __future__ import annotations

from typing import Any

from stepladder import events
from stepladder.assignments.actions import spread
from stepladder.assignments.models import Assignment, AssignmentRule, Waiver
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.people.models import Person
from stepladder.web.templatetags.web import day

__all__ = ["register"]


def _asks_otherwise(rows: list[Fact], act: events.Act) -> None:
    rules: Any = rows
    for rule in {rule.assignment_id: rule for rule in rules}.values():
        spread(rule.assignment, act)


def _waived_otherwise(rows: list[Fact], act: events.Act) -> None:
    waivers: Any = rows
    for waiver in waivers:
        events.announce(events.WaiverChanged((waiver.person_id,), waiver.course_id), act)


def _rule(row: AssignmentRule) -> str:
    until = f" to {day(row.end)}" if row.end else ""
    return f"{row.assignment}: “{row.assignment.title}” from {day(row.start)}{until}"


def _waiver(row: Waiver) -> str:
    until = f" to {day(row.to_day)}" if row.to_day else ""
    return f"{row.person.name}: waived from “{row.course.title}” from {day(row.from_day)}{until}"


def register() -> None:
    undoing.add_table(AssignmentRule, describe=_rule, after=_asks_otherwise)
    undoing.add_table(Waiver, describe=_waiver, after=_waived_otherwise)
    undoing.add_verbs("assign", "assign", "change_assignment", "end_assignment", whose=undoing.of_object(Assignment))
    undoing.add_verbs("waive", "grant_waiver", "revoke_waiver", whose=undoing.of_rows(Person, Waiver))
