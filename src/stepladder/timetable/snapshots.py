"""What a session is at a moment, as the journal keeps it: so that an act on it can be read, and taken back."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from datetime import date, datetime
from typing import Any

from stepladder import clock
from stepladder.core.seats import Times, clashes
from stepladder.people.models import Person
from stepladder.timetable.models import Booking, Meeting, Room, Session
from stepladder.timetable.occupancy import clash_lines, occupied_between, times_of, wants_of
from stepladder.web.templatetags.web import day

__all__ = ["NOT_PLANNED", "changing", "clashes_of", "in_words", "restore", "snapshot", "times_in"]

# A session's own fields that an act may change, in the order in which they are read.
FIELDS = ("state", "cancelled_because", "signed_off_by", "live_address", "capacity", "language", "order", "note")
# What a session becomes whose planning is taken back: its page stays, for who has a link or a letter that leads there.
NOT_PLANNED = {"state": Session.State.CANCELLED.value, "cancelled_because": "planning it was taken back"}
# What calendars show: where one of these is other, they are told so by a higher number.
ON_CALENDARS = {"state", "meetings", "room", "live_address"}


def snapshot(session: Session) -> dict[str, Any]:
    """Everything about a session that an act may change, but its seats; fit for JSON."""
    last, signed = session.last_booking_day, session.signed_off_at
    return {
        **{name: getattr(session, name) for name in FIELDS},
        "signed_off_at": signed.isoformat() if signed else None,
        "last_booking_day": last.isoformat() if last else None,
        "room": session.room.public_id if session.room else None,
        "meetings": [[t.start.isoformat(), t.end.isoformat()] for t in times_of(session)],
        "instructors": sorted(session.instructors.values_list("public_id", flat=True)),
    }


@contextmanager
def changing(session: Session) -> Iterator[dict[str, Any]]:
    """Watch an act on a session: the dict that it yields says afterwards what *was*, and what it *became*.

    *knew* are the clashes that there were before the act, as sentences: they do not stand against the way back.
    """
    found: dict[str, Any] = {}
    before, knew = snapshot(session), clashes_of(session)
    yield found
    after = snapshot(Session.objects.select_related("room").get(pk=session.pk))
    changed = [name for name in before if before[name] != after[name]]
    found["was"] = {name: before[name] for name in changed}
    found["became"] = {name: after[name] for name in changed}
    found["knew"] = knew


def times_in(kept: dict[str, Any]) -> list[Times]:
    """The times of a snapshot's meetings."""
    return [Times(datetime.fromisoformat(start), datetime.fromisoformat(end)) for start, end in kept["meetings"]]


def clashes_of(session: Session, kept: dict[str, Any] | None = None, *, moved_to: str = "") -> list[str]:
    """The clashes that a session has, or would have as *kept*: its room, who teaches and who has a seat or had one then.

    *moved_to* is a session that does not count for who has a seat: they would leave it.
    """
    kept = kept or snapshot(session)
    times = times_in(kept)
    room = Room.objects.filter(public_id=kept["room"]).first()
    teachers = list(Person.objects.filter(public_id__in=kept["instructors"]).values_list("pk", flat=True))
    learners = kept.get("learners")
    if learners is None:
        booked = Booking.objects.known_now().filter(session=session, state=Booking.State.BOOKED)
        learners = list(booked.values_list("person_id", flat=True))
    occupied = occupied_between(times, people=[*teachers, *learners])
    found = clashes(wants_of(session, times, room=room, people=teachers, teaching=True), occupied)
    elsewhere = clashes(wants_of(session, times, room=None, people=learners, teaching=False), occupied)
    left = Session.objects.filter(public_id=moved_to).values_list("pk", flat=True).first()
    return clash_lines([*found, *(clash for clash in elsewhere if clash.other.session != left)])


def restore(session: Session, was: dict[str, Any]) -> None:
    """Make a session what it was, as far as *was* says; its calendars are to be told by whoever asks for it."""
    for name in FIELDS:
        if name in was:
            setattr(session, name, was[name])
    if "signed_off_at" in was:
        signed = was["signed_off_at"]
        session.signed_off_at = datetime.fromisoformat(signed) if signed else None
    if "last_booking_day" in was:
        last = was["last_booking_day"]
        session.last_booking_day = date.fromisoformat(last) if last else None
    if "room" in was:
        session.room = Room.objects.filter(public_id=was["room"]).first()
    if "meetings" in was:
        times = times_in(was)
        session.meetings.all().delete()
        Meeting.objects.bulk_create([Meeting(session=session, starts_at=t.start, ends_at=t.end) for t in times])
        session.most_meetings = max(session.most_meetings, len(times))
    if "instructors" in was:
        session.instructors.set(Person.objects.filter(public_id__in=was["instructors"]))
    session.sequence += 1 if ON_CALENDARS & was.keys() else 0
    session.save()


def in_words(kept: dict[str, Any]) -> list[str]:
    """What a snapshot, or a part of one, says; one line for each thing."""
    zone, lines = clock.zone(), []
    if state := kept.get("state"):
        lines.append(str(Session.State(state).label).capitalize())
    for times in times_in(kept) if "meetings" in kept else ():
        start, end = times.start.astimezone(zone), times.end.astimezone(zone)
        lines.append(f"{day(start.date())}, {start:%H:%M} to {end:%H:%M}")
    if "room" in kept:
        lines.append(str(Room.objects.filter(public_id=kept["room"]).first() or "Live online"))
    if "capacity" in kept:
        lines.append(f"{kept['capacity']} seats")
    if "instructors" in kept:
        teachers = Person.objects.filter(public_id__in=kept["instructors"]).order_by("family_name", "given_name")
        lines.append(f"Taught by {', '.join(p.name for p in teachers) or 'nobody yet'}")
    if "language" in kept:
        lines.append(f"In {kept['language']}" if kept["language"] else "Language not said")
    if "last_booking_day" in kept:
        last = kept["last_booking_day"]
        lines.append(f"Booked until {day(date.fromisoformat(last))}" if last else "Booked until it begins")
    if "order" in kept:
        lines.append(f"Freed seats go to {Session.Order(kept['order']).label}")
    for name in ("note", "cancelled_because"):
        if kept.get(name):
            lines.append(kept[name])
    return lines
