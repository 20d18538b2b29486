"""Who is told what about their seats, with what their calendar needs."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from django.urls import reverse

from stepladder import clock, events
from stepladder.notices.actions import Message, tell
from stepladder.notices.kinds import NoticeKind
from stepladder.people.models import Person
from stepladder.timetable.invitations import cancellation, invitation
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.web.templatetags.web import day

__all__ = ["KINDS", "on_cancelled", "on_instructors", "on_moved_up", "on_rescheduled", "on_seats", "when_and_where"]

State = Booking.State
MakeCalendar = Callable[[Session, list[Meeting], Person], str]


_FIELDS = {
    "title": "what is taught",
    "when": "each meeting as a line, then the place, and the note for those who come",
    "because": "a colon and why it was cancelled; nothing where nobody said",
}


def _kind(name: str, label: str, subject: str, text: str = "{subject}.") -> NoticeKind:
    return NoticeKind(name, label, subject, f"Hello {{given_name}},\n\n{text}\n\n{{when}}", _FIELDS)


_BOOKED = _kind("seat booked", "A seat is booked", "You have a seat in “{title}”")
_WAITING = _kind(
    "seat waiting",
    "A place on the waiting list",
    "You wait for a seat in “{title}”",
    "You are told as soon as one is free.",
)
_LOST = _kind("seat lost", "A seat is given back or taken away", "You no longer have a seat in “{title}”")
_MOVED_UP = _kind(
    "seat moved up",
    "A seat became free",
    "A seat in “{title}” is yours now",
    "You waited for it, and a seat became free. Give it back if you cannot come, so that somebody else can.",
)
_MOVED = _kind(
    "session moved",
    "A session has another time or place, to those with a seat",
    "New time: “{title}”",
    "It has another time or place. Your seat is kept; give it back if you cannot come.",
)
_MOVED_WAITING = _kind(
    "session moved, waiting",
    "A session has another time or place, to those who wait",
    "New time: “{title}”",
    "It has another time or place. You still wait for a seat.",
)
_MOVED_TEACHING = _kind(
    "teaching moved", "A session has another time, to instructors", "You teach at a new time: “{title}”"
)
_TEACHES = _kind("teaching", "An instructor is named", "You teach “{title}”")
_TEACHES_NOT = _kind("teaching no more", "An instructor teaches no longer", "You no longer teach “{title}”")
_OFF = "It does not take place{because}."
_CANCELLED = _kind("session cancelled", "A session is cancelled, to those in it", "Cancelled: “{title}”", _OFF)
_CANCELLED_TEACHING = _kind(
    "teaching cancelled",
    "A session is cancelled, to instructors",
    "You do not teach, it is cancelled: “{title}”",
    _OFF,
)
KINDS = (
    _BOOKED,
    _WAITING,
    _LOST,
    _MOVED_UP,
    _MOVED,
    _MOVED_WAITING,
    _MOVED_TEACHING,
    _TEACHES,
    _TEACHES_NOT,
    _CANCELLED,
    _CANCELLED_TEACHING,
)


def on_seats(event: events.SeatsChanged, act: events.Act) -> None:
    """Each is told how they stand now: booked, waiting, or out; what came of a session is read in one's record."""
    session = _session(event.session)
    if session.state != Session.State.PLANNED or not session.meetings.filter(ends_at__gt=clock.now()).exists():
        return
    states = _states(session, event.people)
    _tell(_BOOKED, session, [p for p in event.people if states.get(p) == State.BOOKED], invitation)
    _tell(_WAITING, session, [p for p in event.people if states.get(p) == State.WAITING])
    out = [p for p in event.people if states.get(p) not in (State.BOOKED, State.WAITING)]
    _tell(_LOST, session, out, cancellation)


def on_moved_up(event: events.SeatsMovedUp, act: events.Act) -> None:
    _tell(_MOVED_UP, _session(event.session), event.people, invitation)


def on_rescheduled(event: events.SessionRescheduled, act: events.Act) -> None:
    session = _session(event.session)
    states = _states(session, event.people)
    _tell(_MOVED, session, [p for p in event.people if states.get(p) == State.BOOKED], invitation)
    _tell(_MOVED_WAITING, session, [p for p in event.people if states.get(p) == State.WAITING])
    _tell(_MOVED_TEACHING, session, _teachers(session), invitation)


def on_instructors(event: events.InstructorsChanged, act: events.Act) -> None:
    session = _session(event.session)
    _tell(_TEACHES, session, event.teach, invitation)
    _tell(_TEACHES_NOT, session, event.no_longer, cancellation)


def on_cancelled(event: events.SessionCancelled, act: events.Act) -> None:
    session = _session(event.session)
    _tell(_CANCELLED, session, event.people, cancellation)
    _tell(_CANCELLED_TEACHING, session, _teachers(session), cancellation)


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


def _tell(kind: NoticeKind, session: Session, people: Iterable[int], calendar: MakeCalendar | None = None) -> None:
    told = list(Person.objects.filter(pk__in=list(people)))
    if not told:
        return
    meetings = list(session.meetings.all())
    fields = {
        "title": session.module.title,
        "when": "\n".join([*when_and_where(session, meetings), *([session.note] if session.note else [])]),
        "because": f": {session.cancelled_because}" if session.cancelled_because else "",
    }
    path = reverse("timetable:seat", args=[session.public_id])
    tell(
        kind.name,
        [Message(p, path, fields, calendar(session, meetings, p) if calendar and p.email else "") for p in told],
    )
