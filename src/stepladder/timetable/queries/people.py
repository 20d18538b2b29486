"""People of a session: who is in it, who was there, and who still needs it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.attendance import Outcome, outcome, present_for
from stepladder.core.attendance import Presence as There
from stepladder.core.days import FOREVER
from stepladder.core.seats import Times, Waiting, waiting_order
from stepladder.library.models import Module, ModuleVersion
from stepladder.people.models import Leave, Person
from stepladder.people.queries import find_people, first_days, places_of, reckoned_on
from stepladder.timetable import kind
from stepladder.timetable.models import Booking, Meeting, Presence, Session
from stepladder.timetable.needs import needed_by_of
from stepladder.timetable.occupancy import clashing_people, times_of
from stepladder.timetable.queries.sessions import SessionRow, next_with_room, session_rows, with_all
from stepladder.web.templatetags.web import day as written

__all__ = [
    "Candidate",
    "RosterRow",
    "SeatRow",
    "at_the_door",
    "candidates",
    "needing",
    "roster",
    "seats",
    "seats_while_away",
    "waiting_list",
]

State = Booking.State


@dataclass(frozen=True)
class SeatRow:
    """Somebody in a session, with where they work and by when they need it."""

    booking: Booking
    where: str
    needed_by: date | None
    is_seen: bool

    @property
    def person(self) -> Person:
        found: Person = self.booking.person
        return found


@dataclass(frozen=True)
class RosterRow:
    """Somebody with a seat: the minutes of each meeting, and what that comes to."""

    person: Person
    where: str
    meetings: list[tuple[Meeting, int, int]]
    has_presence: bool
    checked_in: bool
    would_be: Outcome
    state: str

    @property
    def minutes(self) -> int:
        return sum(minutes for _, minutes, _ in self.meetings)

    @property
    def is_noted(self) -> bool:
        """Whether anything says if they were there."""
        return self.has_presence or self.state != State.BOOKED

    @property
    def was_there(self) -> bool:
        """The whole time, in every meeting."""
        return self.has_presence and all(minutes == whole for _, minutes, whole in self.meetings)

    @property
    def was_not_there(self) -> bool:
        return self.has_presence and not self.minutes


@dataclass(frozen=True)
class Candidate:
    """Somebody who still needs what a session teaches. *stands_against* says why they cannot be booked now; *gave_back*, when
    they gave a seat in it back: they stand last.
    """

    person: Person
    where: str
    needed_by: date | None
    stands_against: str
    gave_back: date | None = None


@dataclass(frozen=True)
class AwaySeat:
    """A seat in a session that meets while its person is away, and the next of the same with room after that."""

    booking: Booking
    row: SessionRow
    others: list[SessionRow]


def _where(people: Iterable[int], day: date) -> dict[int, str]:
    """Where people are placed on a day, by person; of those to come, where they start, and when."""
    keys = list(people)
    found = places_of(keys, day)
    for first, who in reckoned_on(keys, day)[1:]:
        for key, where in places_of(who or [], first).items():
            found[key] = f"{where}, from {written(first)}"
    return found


def _rows(session: Session, states: Sequence[str], account: Any) -> list[SeatRow]:
    known = Booking.objects.known_now().filter(session=session, state__in=states)
    bookings = list(known.select_related("person").order_by("person__family_name", "person__given_name", "pk"))
    keys = [booking.person_id for booking in bookings]
    where, needed = _where(keys, clock.today()), needed_by_of(session.module, keys) if keys else {}
    shown = policy.visible(account, "see people", Person.objects.filter(pk__in=keys))
    visible = set(shown.values_list("pk", flat=True))
    if policy.may(account, "take attendance", session):
        visible = set(keys)
    return [SeatRow(b, where.get(b.person_id, ""), _day(needed, b.person_id), b.person_id in visible) for b in bookings]


def _day(needed: Mapping[int, date], key: int) -> date | None:
    found = needed.get(key)
    return None if found == FOREVER else found


def seats(session: Session, account: Any) -> list[SeatRow]:
    """Who has, or had, a seat; by name. Those whom the account may not see are marked, and shown without their names."""
    return _rows(session, Booking.SEATED, account)


def waiting_list(session: Session, account: Any) -> list[SeatRow]:
    """Who waits, in the order in which a freed seat is given."""
    rows = {row.booking.person_id: row for row in _rows(session, [State.WAITING], account)}
    waiting = [Waiting(key, row.booking.asked_at, row.booking.pk, row.needed_by) for key, row in rows.items()]
    order = "asking" if session.order == Session.Order.ASKING else "need"
    return [rows[one.person] for one in waiting_order(waiting, order)]  # type: ignore[arg-type]


def needing(module: Module, people: Sequence[int] | None = None) -> list[tuple[int, date]]:
    """(person, day needed by) of those who must still do this and have no seat for it yet, the soonest first."""
    needed = needed_by_of(module, people)
    seated = Booking.objects.known_now().filter(
        session__module=module, session__state=Session.State.PLANNED, state=State.BOOKED, person__in=list(needed)
    )
    has = set(seated.values_list("person_id", flat=True))
    return sorted(((key, day) for key, day in needed.items() if key not in has), key=lambda item: (item[1], item[0]))


def candidates(row: SessionRow, account: Any, *, limit: int = 200) -> tuple[list[Candidate], int]:
    """Who still needs it, soonest first, of those whom the account may book; and how many there are."""
    session = row.session
    needed = needing(session.module)
    may = policy.visible(account, "book seats", Person.objects.filter(pk__in=[key for key, _ in needed]))
    visible = set(may.values_list("pk", flat=True))
    gave_back = dict(
        Booking.objects.known_now()
        .filter(session=session, state=State.CANCELLED)
        .values_list("person_id", "recorded_on")
    )
    # Who gave a seat in it back is not the first to be asked again.
    mine = sorted(((key, day) for key, day in needed if key in visible), key=lambda item: item[0] in gave_back)
    shown = mine[:limit]
    keys = [key for key, _ in shown]
    people, where = Person.objects.in_bulk(keys), _where(keys, clock.today())
    states = dict(
        Booking.objects.known_now()
        .filter(session=session, person__in=keys, state=State.WAITING)
        .values_list("person_id", "state")
    )
    busy = clashing_people(session, keys)
    teaches = {person.pk for person in row.instructors}
    away = set(
        Leave.objects.known_now()
        .filter(person__in=keys, from_day__lte=row.first_day)
        .exclude(to_day__lt=row.first_day)
        .values_list("person_id", flat=True)
    )
    coming = first_days(keys, row.first_day)
    found = []
    for key, day in shown:
        against = (
            "waits here already"
            if key in states
            else "teaches this session"
            if key in teaches
            else "is elsewhere at that time"
            if key in busy
            else "is away on that day"
            if key in away
            else f"starts on {written(coming[key])}"
            if key in coming
            else ""
        )
        needed_by = None if day == FOREVER else day
        found.append(Candidate(people[key], where.get(key, ""), needed_by, against, gave_back.get(key)))
    return found, len(mine)


def roster(row: SessionRow) -> list[RosterRow]:
    """Who has a seat, with the minutes that were taken down so far, and what they come to."""
    session = row.session
    version = ModuleVersion.objects.filter(module=session.module).order_by("-number")[0]
    known = Booking.objects.known_now().filter(session=session, state__in=Booking.SEATED).select_related("person")
    bookings = list(known.order_by("person__family_name", "person__given_name", "pk"))
    spells: dict[int, list[There]] = {}
    checked: set[int] = set()
    for one in Presence.objects.filter(session=session):
        spells.setdefault(one.person_id, []).append((one.joined_at, one.left_at))
        if one.source != Presence.Source.ROSTER:
            checked.add(one.person_id)
    where = _where([b.person_id for b in bookings], clock.today())
    times = times_of(session, row.meetings)
    return [
        RosterRow(
            b.person,
            where.get(b.person_id, ""),
            [_minutes(m, spells.get(b.person_id, [])) for m in row.meetings],
            b.person_id in spells,
            b.person_id in checked,
            outcome(times, spells.get(b.person_id, []), threshold=kind.threshold(version.data)),
            b.state,
        )
        for b in bookings
    ]


def seats_while_away(person: Person) -> list[AwaySeat]:
    """The seats to come, or places on waiting lists, of somebody in sessions that meet on days of their leave."""
    zone = clock.zone()
    leave = [
        (one.from_day, one.to_day or date.max)
        for one in Leave.objects.known_now().filter(person=person).exclude(to_day__lt=clock.today())
    ]
    if not leave:
        return []
    theirs = Booking.objects.known_now().filter(
        person=person, state__in=[State.BOOKED, State.WAITING], session__state=Session.State.PLANNED
    )
    bookings = {booking.session_id: booking for booking in theirs}
    rows = session_rows(with_all(Session.objects.filter(pk__in=bookings)))
    found = []
    for row in sorted(rows, key=lambda one: one.starts_at):
        days = {meeting.starts_at.astimezone(zone).date() for meeting in row.meetings}
        if row.is_over or not any(first <= day <= last for day in days for first, last in leave):
            continue
        later = [
            other
            for other in next_with_room(row.session)
            if not any(first <= other.first_day <= last for first, last in leave)
        ]
        found.append(AwaySeat(bookings[row.session.pk], row, later))
    return found


def at_the_door(session: Session, text: str, *, limit: int = 8) -> list[Person]:
    """Those without a seat whom a name or number finds, of all who work here on the day of the session."""
    if not text.strip():
        return []
    day = min(clock.today(), times_of(session)[-1].end.astimezone(clock.zone()).date())
    seated = Booking.objects.known_now().filter(session=session, state__in=Booking.SEATED)
    found = find_people(text=text, day=day).exclude(pk__in=seated.values("person"))
    return list(found.order_by("family_name", "given_name", "pk")[:limit])


def _minutes(meeting: Meeting, there: Sequence[There]) -> tuple[Meeting, int, int]:
    """A meeting with the minutes that somebody was there, and its whole length."""
    times = Times(meeting.starts_at, meeting.ends_at)
    minute = timedelta(minutes=1)
    return meeting, present_for([times], there) // minute, (times.end - times.start) // minute
