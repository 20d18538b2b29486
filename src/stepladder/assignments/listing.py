"""The list of assignments."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from django.db.models import QuerySet

from stepladder import clock
from stepladder.assignments.models import Assignment, AssignmentRule
from stepladder.assignments.paths import climbs
from stepladder.assignments.statuses import count_by_assignment
from stepladder.core.requirements import LATE
from stepladder.learning.queries import course_titles
from stepladder.reaches.stored import load_world, parse, sentence

__all__ = ["AssignmentRow", "assignment_rows"]


@dataclass(frozen=True)
class AssignmentRow:
    """An assignment in a list."""

    assignment: Assignment
    rule: AssignmentRule
    reach: str
    people: int
    late: int
    is_running: bool


def assignment_rows(assignments: QuerySet[Assignment]) -> list[AssignmentRow]:
    """These assignments with how many people each asks today, and how many of these are late by it."""
    today = clock.today()
    rules = {r.assignment_id: r for r in AssignmentRule.objects.known_now()}
    counts = count_by_assignment(today, today)
    # Of a path its people are counted, not the courses that each of them has by it.
    of_paths = list(Assignment.objects.filter(path__isnull=False).values_list("pk", flat=True))
    counts |= {pk: Counter() for pk in of_paths}
    for climb in climbs(day=today, assignments=of_paths):
        for reason in climb.reasons:
            counts[reason.assignment_id][climb.requirement.status] += 1
    world = load_world()
    titles = course_titles()
    rows = []
    for assignment in assignments.filter(pk__in=rules).select_related("course", "path"):
        rule = rules[assignment.pk]
        reach = parse(rule.reach)
        text = sentence(reach.condition, world, courses=titles) if reach.condition else "named people"
        running = rule.start <= today and (rule.end is None or rule.end >= today)
        here = counts.get(assignment.pk, Counter())
        late = sum(here[status] for status in LATE) if rule.is_mandatory else 0
        rows.append(AssignmentRow(assignment, rule, text, here.total(), late, running))
    return rows
