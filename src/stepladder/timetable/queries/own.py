"""Sessions as a learner, or who teaches, sees their own."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta

from stepladder import clock
from stepladder.core.seats import clashes
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.timetable.occupancy import clash_lines, occupied_between, times_of, wants_of
from stepladder.timetable.queries.people import waiting_list
from stepladder.timetable.queries.sessions import SessionRow, find_sessions, session_rows, with_all

__all__ = ["Offer", "OwnSeat", "feed_of", "offers", "own_seats"]

State = Booking.State
# A calendar keeps what is over for a while.
FEED_DAYS = 120


@dataclass(frozen=True)
class Offer:
    """A session to come as somebody may take it.

    *state* is theirs in it, *clash* says where they are else at that time; *instead* is the session of the same module that
    they have a seat in and would give back.
    """

    row: SessionRow
    state: str
    place: int
    clash: str
    instead: Session | None

    @property
    def is_in(self) -> bool:
        return self.state in (State.BOOKED, State.WAITING)


@dataclass(frozen=True)
class OwnSeat:
    """A session that somebody is in, or teaches."""

    row: SessionRow
    state: str
    teaches: bool


def offers(module: Module, person: Person, *, only: Session | None = None) -> list[Offer]:
    """The sessions of a module that are to come, with how somebody stands in each; or only one of them."""
    sessions = find_sessions(Session.objects.filter(module=module))
    if only is not None:
        sessions = Session.objects.filter(pk=only.pk)
    rows = session_rows(with_all(sessions)[:40])
    known = Booking.objects.known_now().filter(person=person, session__in=[row.session.pk for row in rows])
    states = dict(known.values_list("session_id", "state"))
    has = next((row.session for row in rows if states.get(row.session.pk) == State.BOOKED and not row.has_begun), None)
    against = _clashes([row for row in rows if row.session != has], person, has)
    return [
        Offer(
            row,
            states.get(row.session.pk, ""),
            _place(row.session, person) if states.get(row.session.pk) == State.WAITING else 0,
            against.get(row.session.pk, ""),
            has if row.session != has else None,
        )
        for row in rows
    ]


def _place(session: Session, person: Person) -> int:
    """Where somebody waits."""
    keys = [row.booking.person_id for row in waiting_list(session, person.account)]
    return keys.index(person.pk) + 1


def _clashes(rows: Sequence[SessionRow], person: Person, given_back: Session | None) -> dict[int, str]:
    """Session → where somebody is else while it meets; the seat they would give back for it stands in nobody's way."""
    wanted = [
        want
        for row in rows
        for want in wants_of(
            row.session, times_of(row.session, row.meetings), room=None, people=[person.pk], teaching=False
        )
    ]
    found = clashes(wanted, occupied_between([want.times for want in wanted], people=[person.pk]))
    found = [clash for clash in found if given_back is None or clash.other.session != given_back.pk]
    return {clash.mine.session: clash_lines([clash])[0] for clash in reversed(found)}


def own_seats(person: Person) -> list[OwnSeat]:
    """What somebody attends and teaches, from today on, in the order of time."""
    known = Booking.objects.known_now().filter(person=person, state__in=[State.BOOKED, State.WAITING])
    states = dict(known.values_list("session_id", "state"))
    taught = set(Session.instructors.through.objects.filter(person=person).values_list("session_id", flat=True))
    mine = find_sessions(Session.objects.filter(pk__in=taught | set(states)))
    return [
        OwnSeat(row, states.get(row.session.pk, ""), row.session.pk in taught)
        for row in session_rows(with_all(mine)[:200])
    ]


def feed_of(person: Person) -> list[tuple[Session, list[Meeting], str]]:
    """What goes into somebody's calendar: sessions they have or had a seat in, and those they teach; cancelled ones say so."""
    since = clock.now() - timedelta(days=FEED_DAYS)
    known = Booking.objects.known_now().filter(person=person).exclude(state=State.WAITING)
    # Who gave a seat back does not come; who lost it since the session is cancelled is shown that it is.
    booked = known.exclude(state=State.CANCELLED, session__state=Session.State.PLANNED)
    booked = booked.exclude(state=State.CANCELLED, session__state=Session.State.HELD)
    taught = set(Session.instructors.through.objects.filter(person=person).values_list("session_id", flat=True))
    keys = taught | set(booked.values_list("session_id", flat=True))
    sessions = with_all(Session.objects.filter(pk__in=keys, meetings__ends_at__gte=since).distinct())
    return [
        (one, list(one.meetings.all()), "teach" if one.pk in taught else "learn") for one in sessions.order_by("pk")
    ]
