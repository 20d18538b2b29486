"""What would be completed if everybody who is booked attended. Rule: 5, "As of"."""

from __future__ import annotations

from datetime import date, datetime

from django.db.models import Max

from stepladder import clock
from stepladder.core.days import day_of
from stepladder.core.sequence import Done, completed
from stepladder.courses.models import Step
from stepladder.courses.outline import outline_of
from stepladder.learning.actions import done_of
from stepladder.learning.models import Completion, Enrolment
from stepladder.learning.queries import with_all
from stepladder.timetable.models import Booking, Session

__all__ = ["supposed_completions"]


def supposed_completions(day: date) -> list[Completion]:
    """Completions, unsaved, of courses that need nothing but sessions that their people are booked in and that end by *day*."""
    ends = _ends(day)
    if not ends:
        return []
    modules = {module for by_module in ends.values() for module in by_module}
    places = Enrolment.objects.filter(
        person__in=ends,
        completed_at__isnull=True,
        closed_on__isnull=True,
        edition__in=Step.objects.filter(module__in=modules).values("edition"),
    ).select_related("edition")
    found = []
    for place in places.prefetch_related(with_all(), "steps_done"):
        steps = list(place.edition.steps.all())
        done = {step.module_id: _attended(ends[place.person_id], step.module_id) for step in steps}
        supposed = {module: fact for module, fact in done.items() if fact} | done_of(place)
        completion = completed(outline_of(place.edition, steps), supposed)
        if completion:
            found.append(
                Completion(
                    person_id=place.person_id,
                    course_id=place.course_id,
                    edition_id=place.edition_id,
                    day=completion.day,
                    at=completion.at,
                    recorded_on=clock.today(),
                )
            )
    return found


def _ends(day: date) -> dict[int, dict[int, datetime]]:
    """Person → module → when the session of it ends that they are booked in."""
    zone = clock.zone()
    booked = Booking.objects.known_now().filter(state=Booking.State.BOOKED, session__state=Session.State.PLANNED)
    rows = booked.annotate(ends=Max("session__meetings__ends_at")).order_by("-ends", "-pk")
    found: dict[int, dict[int, datetime]] = {}
    for person, module, at in rows.values_list("person_id", "session__module_id", "ends"):
        if day_of(at, zone) <= day:
            found.setdefault(person, {})[module] = at
    return found


def _attended(ends: dict[int, datetime], module: int) -> Done | None:
    at = ends.get(module)
    return Done(day_of(at, clock.zone()), at, None) if at else None
