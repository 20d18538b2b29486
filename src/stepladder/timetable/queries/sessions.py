"""Sessions as they are listed, drawn and offered."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from django.db.models import Count, Exists, Min, OuterRef, Prefetch, Q, QuerySet

from stepladder import clock
from stepladder.core.days import day_of
from stepladder.core.seats import Clash, clashes
from stepladder.people.models import Person
from stepladder.search.words import words_of
from stepladder.timetable.models import Booking, Meeting, Room, Session
from stepladder.timetable.occupancy import occupied_between, on_now, times_of, wants_of

__all__ = [
    "SHOWS",
    "SessionRow",
    "between",
    "busy_sessions",
    "clashes_of",
    "find_sessions",
    "next_with_room",
    "one_row",
    "session_rows",
    "with_all",
]

State = Booking.State
SHOWS = ("to come", "to sign off", "waiting", "held", "cancelled")


@dataclass(frozen=True)
class SessionRow:
    """A session with its meetings and its seats."""

    session: Session
    meetings: list[Meeting]
    instructors: list[Person]
    booked: int
    waiting: int
    attended: int

    @property
    def free(self) -> int:
        return max(self.session.capacity - self.booked, 0)

    @property
    def starts_at(self) -> datetime:
        return self.meetings[0].starts_at

    @property
    def ends_at(self) -> datetime:
        return self.meetings[-1].ends_at

    @property
    def first_day(self) -> date:
        return day_of(self.starts_at, clock.zone())

    @property
    def has_begun(self) -> bool:
        return self.starts_at <= clock.now()

    @property
    def is_over(self) -> bool:
        return self.ends_at <= clock.now()

    @property
    def is_open(self) -> bool:
        """Whether one may still book: planned, not begun, and not past its last day to book."""
        last = self.session.last_booking_day
        is_planned = self.session.state == Session.State.PLANNED
        return is_planned and not self.has_begun and (last is None or clock.today() <= last)

    @property
    def meets_now(self) -> bool:
        """Whether one can come in: a meeting is on, or about to begin."""
        is_planned = self.session.state == Session.State.PLANNED
        return is_planned and on_now(times_of(self.session, self.meetings), clock.now()) is not None

    @property
    def waits_for_sign_off(self) -> bool:
        return self.session.state == Session.State.PLANNED and self.is_over


def with_all(sessions: QuerySet[Session]) -> QuerySet[Session]:
    """Sessions with what their rows need, in few queries."""
    return sessions.select_related("module", "room__venue").prefetch_related(
        "meetings", Prefetch("instructors", queryset=Person.objects.order_by("family_name", "given_name"))
    )


def session_rows(sessions: Iterable[Session]) -> list[SessionRow]:
    """Rows of sessions that were read `with_all`; one query more for all their seats."""
    read = list(sessions)
    counts: dict[tuple[int, str], int] = {}
    known = Booking.objects.known_now().filter(session__in=read)
    for key, state, count in known.order_by().values_list("session_id", "state").annotate(n=Count("pk")):
        counts[key, state] = count
    return [
        SessionRow(
            one,
            list(one.meetings.all()),
            list(one.instructors.all()),
            # Signed off, a seat is still whose it was.
            sum(counts.get((one.pk, state), 0) for state in Booking.SEATED),
            counts.get((one.pk, State.WAITING), 0),
            counts.get((one.pk, State.ATTENDED), 0),
        )
        for one in read
    ]


def one_row(session: Session) -> SessionRow:
    """The row of one session."""
    return session_rows(with_all(Session.objects.filter(pk=session.pk)))[0]


def find_sessions(sessions: QuerySet[Session], *, show: str = "", text: str = "") -> QuerySet[Session]:
    """Of these, those to come (or held, cancelled, with people waiting, to be signed off) with these words; in the order of time."""
    for word in words_of(text):
        sessions = sessions.filter(
            Q(module__title__icontains=word)
            | Q(room__name__icontains=word)
            | Q(room__venue__name__icontains=word)
            | Q(pk__in=_taught_by(word))
        )
    # The order is by an annotation, which counting leaves out; what is to come is asked for by the meetings' own index.
    sessions = sessions.annotate(starts=Min("meetings__starts_at"))
    to_come = Exists(Meeting.objects.filter(session=OuterRef("pk"), ends_at__gt=clock.now()))
    planned = sessions.filter(state=Session.State.PLANNED)
    if show == "to sign off":
        return planned.filter(~to_come).order_by("starts", "pk")
    if show == "waiting":
        waits = Booking.objects.known_now().filter(state=State.WAITING).values("session")
        return planned.filter(to_come, pk__in=waits).order_by("starts", "pk")
    if show == "held":
        return sessions.filter(state=Session.State.HELD).order_by("-starts", "pk")
    if show == "cancelled":
        return sessions.filter(state=Session.State.CANCELLED).order_by("-starts", "pk")
    return planned.filter(to_come).order_by("starts", "pk")


def _taught_by(word: str) -> QuerySet[Session]:
    named = Person.objects.filter(Q(given_name__icontains=word) | Q(family_name__icontains=word))
    return Session.instructors.through.objects.filter(person__in=named).values("session")  # type: ignore[return-value]


def between(sessions: QuerySet[Session], first: date, days: int, room: Room | None = None) -> list[SessionRow]:
    """Sessions with a meeting in these days, those cancelled left out."""
    zone = clock.zone()
    start = datetime.combine(first, time(), tzinfo=zone)
    end = datetime.combine(first + timedelta(days=days), time(), tzinfo=zone)
    near = Meeting.objects.filter(starts_at__lt=end, ends_at__gt=start).values("session")
    found = sessions.filter(pk__in=near).exclude(state=Session.State.CANCELLED)
    return session_rows(with_all(found.filter(room=room) if room else found))


def busy_sessions(rows: Sequence[SessionRow]) -> set[int]:
    """Of planned sessions, those whose room or instructor is taken at the same time elsewhere."""
    return {clash.mine.session for clash in _clashes(rows)}


def clashes_of(row: SessionRow) -> list[Clash]:
    """Where a session's room or instructors are taken at the same time elsewhere."""
    return _clashes([row])


def _clashes(rows: Sequence[SessionRow]) -> list[Clash]:
    planned = [row for row in rows if row.session.state == Session.State.PLANNED]
    wanted = [
        want
        for row in planned
        for want in wants_of(
            row.session,
            times_of(row.session, row.meetings),
            room=row.session.room,
            people=[p.pk for p in row.instructors],
            teaching=True,
        )
    ]
    teachers = {person.pk for row in planned for person in row.instructors}
    return clashes(wanted, occupied_between([want.times for want in wanted], people=teachers))


def next_with_room(session: Session, *, count: int = 6) -> list[SessionRow]:
    """The next sessions of the same module that can be booked, the soonest first."""
    others = find_sessions(Session.objects.filter(module=session.module_id).exclude(pk=session.pk))
    rows = session_rows(with_all(others)[:30])
    return [row for row in rows if row.is_open and row.free][:count]
