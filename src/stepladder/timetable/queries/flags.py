"""Seats beside what is asked of somebody: booked in time, or booked late. Rule: 5."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from django.db.models import Max, Min, Q

from stepladder import clock
from stepladder.core.days import day_of
from stepladder.courses.models import Step
from stepladder.learning.models import Enrolment, StepDone
from stepladder.timetable.models import Booking, Session

__all__ = ["Seat", "booked_flag", "next_seats", "seats_for"]


@dataclass(frozen=True)
class Seat:
    """A seat that somebody has in a session to come."""

    session: Session
    starts_at: datetime
    ends_on: date

    @property
    def starts_on(self) -> date:
        return day_of(self.starts_at, clock.zone())


def _seats(people: Iterable[int], known_on: date) -> dict[tuple[int, int], Seat]:
    """(person, module) → the first seat they have in a planned session of it."""
    zone = clock.zone()
    rows = (
        Booking.objects.known_on(known_on)
        .filter(person__in=list(people), state=Booking.State.BOOKED, session__state=Session.State.PLANNED)
        .select_related("session__module", "session__room__venue")
        .annotate(starts=Min("session__meetings__starts_at"), ends=Max("session__meetings__ends_at"))
        .order_by("ends", "pk")
    )
    found: dict[tuple[int, int], Seat] = {}
    for row in rows:
        seat = Seat(row.session, row.starts, day_of(row.ends, zone))
        found.setdefault((row.person_id, row.session.module_id), seat)
    return found


def _day_after(day: date) -> datetime:
    """The instant at which a day of the organisation is over."""
    return datetime.combine(day + timedelta(days=1), time(), tzinfo=clock.zone())


def seats_for(people: Iterable[int], on: date) -> dict[tuple[int, int], Seat]:
    """(person, course) → the seat they have for a step of it that is not done; the last, where several steps have one.

    *on*, where it is past: by what was booked, done and known at the end of that day.
    """
    on = min(on, clock.today())
    keys = sorted(set(people))
    seats = _seats(keys, on)
    if not seats:
        return {}
    modules = {module for _, module in seats}
    places = Enrolment.objects.filter(
        Q(completed_at__isnull=True) | Q(completed_at__gte=_day_after(on)),
        Q(closed_on__isnull=True) | Q(closed_on__gt=on),
        person__in={person for person, _ in seats},
        opened_on__lte=on,
    )
    steps: dict[int, set[int]] = {}
    wanted = Step.objects.filter(module__in=modules, edition__in=places.values("edition"))
    for edition, module in wanted.values_list("edition_id", "module_id"):
        steps.setdefault(edition, set()).add(module)
    steps_done = StepDone.objects.known_on(on).filter(enrolment__in=places, module__in=modules)
    done = set(steps_done.values_list("enrolment_id", "module_id"))
    found: dict[tuple[int, int], Seat] = {}
    for key, person, course, edition in places.values_list("pk", "person_id", "course_id", "edition_id"):
        for module in steps.get(edition, ()):
            seat = seats.get((person, module))
            if seat is None or (key, module) in done:
                continue
            before = found.get((person, course))
            if before is None or seat.ends_on > before.ends_on:
                found[person, course] = seat
    return found


def booked_flag(seat: Seat | None, needed_by: date | None) -> str:
    """The word beside the status: booked where the session ends by the day it is needed, else booked late. Rule: 5."""
    if seat is None:
        return ""
    return "booked" if needed_by is None or seat.ends_on <= needed_by else "booked late"


def next_seats(people: Iterable[int]) -> Mapping[int, Seat]:
    """Person → the seat they have next, from today on."""
    found: dict[int, Seat] = {}
    today = clock.today()
    for (person, _), seat in _seats(people, today).items():
        if seat.ends_on < today:
            continue
        before = found.get(person)
        if before is None or seat.starts_at < before.starts_at:
            found[person] = seat
    return found
