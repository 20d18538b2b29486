"""What rules say of what was completed: with the run after it became known. Rule: 13."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from stepladder.assignments.models import Reason
from stepladder.core.days import FOREVER
from stepladder.learning.models import Completion
from stepladder.telling.finding import Finding
from stepladder.telling.models import NoticeRule

__all__ = ["completed_between"]


def completed_between(rules: Sequence[NoticeRule], first: date, last: date) -> list[Finding]:
    """The findings of these rules of what was recorded on days between two; the narrowest level that has such a rule speaks."""
    speaking = [rule for rule in rules if rule.moment == NoticeRule.Moment.COMPLETED]
    if not speaking:
        return []
    rows = Completion.objects.known_now().filter(recorded_on__gte=first, recorded_on__lte=last).order_by("pk")
    done = list(rows.values_list("person_id", "course_id", "day", "recorded_on"))
    asked = _asked({rule.assignment_id for rule in speaking if rule.assignment_id}, {person for person, *_ in done})
    own = {rule.course_id for rule in speaking if rule.course_id}
    found = []
    for person, course, day, recorded in done:
        by = asked.get((person, course), set())
        for rule in speaking:
            if rule.assignment_id:
                speaks = rule.assignment_id in by
            elif rule.course_id:
                speaks = rule.course_id == course and not by
            else:
                speaks = rule.path_id is None and course not in own and not by
            if speaks and recorded >= rule.begins_after:
                found.append(Finding(rule, False, person, course, day, recorded, None))
    return found


def _asked(assignments: set[int], people: set[int]) -> dict[tuple[int, int], set[int]]:
    """(person, course) → those of these assignments that ask for it."""
    found: dict[tuple[int, int], set[int]] = {}
    if assignments:
        rows = Reason.objects.filter(assignment__in=assignments, person__in=people, known_to=FOREVER)
        for person, course, assignment in rows.values_list("person_id", "course_id", "assignment_id"):
            if assignment is not None:
                found.setdefault((person, course), set()).add(assignment)
    return found
