"""Who needs a session's module, and by when."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from stepladder import clock
from stepladder.assignments.queries import asked_of
from stepladder.core.days import FOREVER
from stepladder.core.requirements import Status
from stepladder.courses.models import Step
from stepladder.learning.models import Enrolment, StepDone
from stepladder.library.models import Module

__all__ = ["needed_by_of"]

# Whoever stands so has nothing to do before the day the window opens.
NOT_YET = frozenset({Status.CURRENT, Status.WAIVED})


def needed_by_of(module: Module, people: Sequence[int] | None = None) -> dict[int, date]:
    """Person → the day by which a mandatory requirement needs this module; people with an open place that has it as a step.

    The day is the due day, or the last day of grace for who renews. Rule: 4, 5.
    """
    steps = Step.objects.filter(module=module)
    places = Enrolment.objects.filter(
        completed_at__isnull=True, closed_on__isnull=True, edition__in=steps.values("edition")
    ).exclude(pk__in=StepDone.objects.known_now().filter(module=module).values("enrolment"))
    if people is not None:
        places = places.filter(person__in=people)
    open_now = set(places.values_list("person_id", "course_id"))
    if not open_now:
        return {}
    found: dict[int, date] = {}
    people_now, courses = sorted({person for person, _ in open_now}), {course for _, course in open_now}
    rows = asked_of(people_now, clock.today(), courses=courses)
    for row in rows:
        requirement = row.requirement
        if (row.person, row.course) not in open_now or not requirement.mandatory or requirement.status in NOT_YET:
            continue
        found[row.person] = min(found.get(row.person, FOREVER), requirement.needed_by or FOREVER)
    return found
