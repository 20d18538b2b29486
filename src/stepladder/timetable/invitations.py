"""Sessions as iCalendar (RFC 5545, RFC 5546): invitation, update, cancellation, and one's own sessions as a feed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

from django.conf import settings
from icalendar import Calendar, Event, vCalAddress, vText

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.people.models import Person
from stepladder.timetable.models import Meeting, Session

__all__ = ["cancellation", "feed", "invitation"]

PRODUCT = "-//Stepladder//Sessions//EN"


def invitation(session: Session, meetings: Sequence[Meeting], person: Person) -> str:
    """What puts a session into somebody's calendar, or moves it there; meetings that it no longer has are taken out."""
    found = _calendar("REQUEST")
    for number, meeting in enumerate(meetings):
        found.add_component(_event(session, number, meeting.starts_at, meeting.ends_at, person))
    for number in range(len(meetings), session.most_meetings):
        gone = _event(session, number, meetings[0].starts_at, meetings[0].ends_at, person)
        gone["STATUS"] = vText("CANCELLED")
        found.add_component(gone)
    return _text(found)


def cancellation(session: Session, meetings: Sequence[Meeting], person: Person) -> str:
    """What takes a session out of somebody's calendar."""
    found = _calendar("CANCEL")
    for number in range(session.most_meetings):
        meeting = meetings[min(number, len(meetings) - 1)]
        gone = _event(session, number, meeting.starts_at, meeting.ends_at, person)
        gone["STATUS"] = vText("CANCELLED")
        found.add_component(gone)
    return _text(found)


def feed(sessions: Iterable[tuple[Session, Sequence[Meeting], str]]) -> str:
    """One's own sessions for a calendar that asks now and then; each with what one does there ("learn", "teach")."""
    found = _calendar("PUBLISH")
    found.add("X-WR-CALNAME", f"{organisation().name}: sessions")
    for session, meetings, does in sessions:
        for number, meeting in enumerate(meetings):
            event = _event(session, number, meeting.starts_at, meeting.ends_at, None)
            if does == "teach":
                event["SUMMARY"] = vText(f"{session.module.title} (you teach)")
            if session.state == Session.State.CANCELLED:
                event["STATUS"] = vText("CANCELLED")
            found.add_component(event)
    return _text(found)


def _calendar(method: str) -> Calendar:
    found = Calendar()
    found.add("PRODID", PRODUCT)
    found.add("VERSION", "2.0")
    found.add("METHOD", method)
    return found


def _event(session: Session, number: int, starts: datetime, ends: datetime, person: Person | None) -> Event:
    zone = clock.zone()
    event = Event()
    event.add("UID", f"{session.public_id}-{number + 1}@{settings.APP_HOST}")
    event.add("SEQUENCE", session.sequence)
    event.add("DTSTAMP", clock.now())
    event.add("SUMMARY", session.module.title)
    event.add("DTSTART", starts.astimezone(zone))
    event.add("DTEND", ends.astimezone(zone))
    event.add("LOCATION", str(session.room) if session.room else session.join_address)
    event.add("STATUS", "CONFIRMED")
    if session.note:
        event.add("DESCRIPTION", session.note)
    if person is not None:
        organiser = vCalAddress(f"mailto:{settings.DEFAULT_FROM_EMAIL}")
        organiser.params["CN"] = vText(organisation().name)
        event["ORGANIZER"] = organiser
        attendee = vCalAddress(f"mailto:{person.email}")
        attendee.params["CN"] = vText(person.name)
        attendee.params["PARTSTAT"] = vText("ACCEPTED")
        event.add("ATTENDEE", attendee, encode=False)
    return event


def _text(calendar: Calendar) -> str:
    # Calendars know no zone by its name alone: the file says what the zone means (RFC 5545, 3.6.5).
    calendar.add_missing_timezones()
    text: str = calendar.to_ical().decode()
    return text
