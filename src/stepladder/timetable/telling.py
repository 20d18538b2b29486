"""Who is told what about their seats, with what their calendar needs."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from django.urls import reverse

from stepladder import clock, events
from stepladder.notices.actions import tell
from stepladder.people.models import Person
from stepladder.timetable.invitations import cancellation, invitation
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.web.templatetags.web import day

__all__ = ["on_cancelled", "on_instructors", "on_moved_up", "on_rescheduled", "on_seats", "when_and_where"]

State = Booking.State
MakeCalendar = Callable[[Session, list[Meeting], Person], str]


def on_seats(event: events.SeatsChanged, act: events.Act) -> None:
    """Each is told how they stand now: booked, waiting, or out; what came of a session is read in one's record."""
    session = _session(event.session)
    if session.state != Session.State.PLANNED or not session.meetings.filter(ends_at__gt=clock.now()).exists():
        return
    states = _states(session, event.people)
    _tell(
        session, [p for p in event.people if states.get(p) == State.BOOKED], "You have a seat in “{title}”", invitation
    )
    waiting = [p for p in event.people if states.get(p) == State.WAITING]
    _tell(session, waiting, "You wait for a seat in “{title}”", None, "You are told as soon as one is free.")
    out = [p for p in event.people if states.get(p) not in (State.BOOKED, State.WAITING)]
    _tell(session, out, "You no longer have a seat in “{title}”", cancellation)


def on_moved_up(event: events.SeatsMovedUp, act: events.Act) -> None:
    text = "You waited for it, and a seat became free. Give it back if you cannot come, so that somebody else can."
    _tell(_session(event.session), event.people, "A seat in “{title}” is yours now", invitation, text)


def on_rescheduled(event: events.SessionRescheduled, act: events.Act) -> None:
    session = _session(event.session)
    states = _states(session, event.people)
    booked = [p for p in event.people if states.get(p) == State.BOOKED]
    text = "It has another time or place. Your seat is kept; give it back if you cannot come."
    _tell(session, booked, "New time: “{title}”", invitation, text)
    waiting = [p for p in event.people if states.get(p) == State.WAITING]
    _tell(session, waiting, "New time: “{title}”", None, "It has another time or place. You still wait for a seat.")
    _tell(session, _teachers(session), "You teach at a new time: “{title}”", invitation)


def on_instructors(event: events.InstructorsChanged, act: events.Act) -> None:
    session = _session(event.session)
    _tell(session, event.teach, "You teach “{title}”", invitation)
    _tell(session, event.no_longer, "You no longer teach “{title}”", cancellation)


def on_cancelled(event: events.SessionCancelled, act: events.Act) -> None:
    session = _session(event.session)
    text = f"It does not take place{': ' + session.cancelled_because if session.cancelled_because else ''}."
    _tell(session, event.people, "Cancelled: “{title}”", cancellation, text)
    _tell(session, _teachers(session), "You do not teach, it is cancelled: “{title}”", cancellation, text)


def _session(key: int) -> Session:
    return Session.objects.select_related("module", "room__venue").get(pk=key)


def _states(session: Session, people: Iterable[int]) -> dict[int, str]:
    rows = Booking.objects.known_now().filter(session=session, person__in=list(people))
    return dict(rows.values_list("person_id", "state"))


def _teachers(session: Session) -> list[int]:
    return list(session.instructors.values_list("pk", flat=True))


def when_and_where(session: Session, meetings: Iterable[Meeting]) -> list[str]:
    """Each meeting as a line, then the place."""
    zone = clock.zone()
    lines = []
    for meeting in meetings:
        start, end = meeting.starts_at.astimezone(zone), meeting.ends_at.astimezone(zone)
        lines.append(f"{start:%A} {day(start.date())}, {start:%H:%M} to {end:%H:%M}")
    return [*lines, f"Live online: {session.join_address}" if session.live_address else session.place]


def _tell(session: Session, people: Iterable[int], subject: str, calendar: MakeCalendar | None, text: str = "") -> None:
    told = list(Person.objects.filter(pk__in=list(people)))
    if not told:
        return
    meetings = list(session.meetings.all())
    body = "\n".join([*when_and_where(session, meetings), *([session.note] if session.note else [])])
    path = reverse("timetable:seat", args=[session.public_id])
    said = subject.format(title=session.module.title)
    messages = [(p, said, f"Hello {p.given_name},\n\n{text or said + '.'}\n\n{body}", path) for p in told]
    calendars = {p.pk: calendar(session, meetings, p) for p in told if p.email} if calendar else {}
    tell(messages=messages, kind="seat", calendars=calendars)
