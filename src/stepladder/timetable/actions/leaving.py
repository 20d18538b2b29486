"""Whoever leaves the organisation gives their seats back."""

from __future__ import annotations

from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import Min

from stepladder import clock, events
from stepladder.core.days import day_of
from stepladder.facts import Fact
from stepladder.journal.actions import Named, record
from stepladder.people.models import Employment
from stepladder.timetable.actions.seats import fill_freed_seats, locked, write_seat
from stepladder.timetable.models import Booking, Session

__all__ = ["give_back_of_leavers"]

State = Booking.State


@transaction.atomic
def give_back_of_leavers(people: frozenset[int], act: events.Act) -> None:
    """Seats, and places on waiting lists, of those of *people* who will not be there any more when the session begins.

    They are told, and each seat goes to the first who waits for it.
    """
    rows = Booking.objects.known_now().filter(
        state__in=[State.BOOKED, State.WAITING], session__state=Session.State.PLANNED
    )
    to_come = rows.annotate(starts_at=Min("session__meetings__starts_at")).filter(starts_at__gt=clock.now())
    theirs: list[Any] = [row for row in to_come.select_related("session__module", "person") if row.person_id in people]
    if not theirs:
        return
    left = _last_days([row.person_id for row in theirs])
    zone = clock.zone()
    for session in {row.session_id: row.session for row in theirs}.values():
        gone = [r for r in theirs if r.session_id == session.pk and left[r.person_id] < day_of(r.starts_at, zone)]
        if gone:
            _give_back(session, gone, act)


def _last_days(people: list[int]) -> dict[int, date]:
    """Person → the last day with the organisation; who was never hired, by what is known now, has none."""
    known = Employment.objects.known_now().filter(person__in=people)
    days = {person: left or date.max for person, left in known.values_list("person_id", "left_on")}
    return {person: days.get(person, date.min) for person in people}


def _give_back(session: Session, bookings: list[Booking], act: events.Act) -> None:
    session = locked(session)
    written: list[Fact] = []
    for booking in bookings:
        written += write_seat(session, booking.person, State.CANCELLED, booking.asked_at)[1]
    about = Named("session", session.public_id, session.module.title)
    data = {"count": len(bookings), "names": ", ".join(booking.person.name for booking in bookings)}
    entry = record("give_back_of_leavers", by=act.by, about=about, data=data, rows=written)
    events.announce(events.SeatsChanged(session.pk, tuple(booking.person_id for booking in bookings)), entry.act)
    fill_freed_seats(session=session, by=act.by)
