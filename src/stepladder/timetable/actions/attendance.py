"""Who was there: the roster, checking in, and signing off. Rule: 9, 6."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta

from django.db import transaction
from django.db.models import F

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.attendance import Outcome, outcome
from stepladder.core.attendance import Presence as There
from stepladder.core.seats import Times
from stepladder.facts import Fact, FactQuerySet
from stepladder.journal.actions import Actor, record
from stepladder.learning.actions import complete_by_attendance, revoke_attendance
from stepladder.library.models import ModuleVersion
from stepladder.people.models import Person
from stepladder.timetable import kind
from stepladder.timetable.actions.planning import about
from stepladder.timetable.actions.seats import locked, write_seat
from stepladder.timetable.errors import NotBooked, NotHere, NotOver
from stepladder.timetable.models import Booking, Meeting, Presence, Session
from stepladder.timetable.occupancy import EARLY, on_now, times_of
from stepladder.timetable.snapshots import changing

__all__ = ["check_in", "join_online", "keep_minutes", "keep_recording", "leave_online", "sign_off"]

State = Booking.State


@transaction.atomic
def keep_minutes(*, session: Session, marks: Mapping[Person, Mapping[Meeting, int]], by: Actor) -> None:
    """How many minutes each was there in each meeting, as the roster says; it replaces what was kept of them before.

    No minutes in any meeting say that somebody was not there; no meetings at all, that nothing is noted of them. Raises
    NotBooked where one of them has no seat, NotOver before the session's first day.
    """
    policy.require(by, "take attendance", session)
    session = locked(session)
    times = times_of(session)
    if session.state == Session.State.CANCELLED:
        raise NotOver("The session is cancelled, so nobody was there.")
    # By the day, not the hour: a roster is opened while the first come in.
    if clock.today() < times[0].start.astimezone(clock.zone()).date():
        raise NotOver("Attendance is taken from the day of the session on.")
    seated = set(_seated(session).values_list("person_id", flat=True))
    for person in marks:
        if person.pk not in seated:
            raise NotBooked(person.name)
    # Check-ins of theirs too: the roster is what somebody vouches for, beside it two times would count.
    Presence.objects.filter(session=session, person__in=list(marks)).delete()
    Presence.objects.bulk_create(
        Presence(
            session=session,
            person=person,
            joined_at=meeting.starts_at,
            left_at=min(meeting.starts_at + timedelta(minutes=minutes), meeting.ends_at),
            source=Presence.Source.ROSTER,
        )
        for person, by_meeting in marks.items()
        for meeting, minutes in by_meeting.items()
        # Somebody who was not there has one stretch of no length: it is noted, and comes to nothing.
        if minutes > 0 or (not any(by_meeting.values()) and meeting == next(iter(by_meeting)))
    )


@transaction.atomic
def check_in(*, session: Session, person: Person, by: Actor) -> Presence:
    """Somebody says that they are there, by the sign on the sheet. Twice is as once. Raises NotBooked, NotHere."""
    policy.require(by, "learn", person)
    session = locked(session)
    if not _seated(session).filter(person=person).exists():
        raise NotBooked(person.name)
    meeting = _meets_now(session)
    # Noted as not there, and there now: that they say so themselves counts beside it.
    open_presence = (
        Presence.objects.filter(
            session=session, person=person, joined_at__gte=meeting.start - EARLY, joined_at__lt=meeting.end
        )
        .exclude(left_at=F("joined_at"))
        .first()
    )
    return open_presence or Presence.objects.create(
        session=session, person=person, joined_at=clock.now(), source=Presence.Source.CHECK_IN
    )


@transaction.atomic
def join_online(*, session: Session, person: Person, by: Actor) -> None:
    """Somebody came into the meeting room. Raises NotBooked, NotHere."""
    policy.require(by, "learn", person)
    session = locked(session)
    if not _seated(session).filter(person=person).exists():
        raise NotBooked(person.name)
    _meets_now(session)
    if not Presence.objects.filter(session=session, person=person, left_at__isnull=True).exists():
        Presence.objects.create(session=session, person=person, joined_at=clock.now(), source=Presence.Source.LIVE)


@transaction.atomic
def leave_online(*, session: Session, person: Person, by: Actor) -> None:
    """Somebody left the meeting room; they may come back, and all their times count together."""
    policy.require(by, "learn", person)
    open_presence = Presence.objects.filter(
        session=session, person=person, left_at__isnull=True, source=Presence.Source.LIVE
    )
    open_presence.update(left_at=clock.now())


@transaction.atomic
def keep_recording(*, session: Session, address: str, by: Actor) -> None:
    """Where the recording of a session is; whoever had a seat finds it there."""
    policy.require(by, "take attendance", session)
    session.recording_address = address
    session.save(update_fields=["recording_address"])
    record("keep_recording", by=by, about=about(session), data={"address": address})


@transaction.atomic
def sign_off(*, session: Session, by: Actor) -> dict[Outcome, int]:
    """What each booking came to: attended (which does the step), partly attended, absent. How many of each.

    May be late, and may be done again after a correction: only what differs is written. Whoever still waited has no seat.
    Raises NotOver before the last meeting's end, CountedSince where a completion rests on what is corrected.
    """
    policy.require(by, "take attendance", session)
    session = locked(session)
    times = times_of(session)
    if session.state == Session.State.CANCELLED:
        raise NotOver("The session is cancelled, so there is nothing to sign off.")
    if clock.now() < times[-1].end:
        ends = times[-1].end.astimezone(clock.zone())
        raise NotOver(f"The session ends on {ends:%-d %b %Y at %H:%M}; it is signed off after that.")
    # The newest, whatever was newest when it was planned: the share that is enough is a rule of today.
    version = ModuleVersion.objects.select_related("module").filter(module=session.module).order_by("-number")[0]
    presences = _presences(session)
    counts: dict[Outcome, int] = dict.fromkeys(Outcome, 0)
    rows: list[Fact] = []
    changed, given = [], list[str]()
    for booking in _seated(session).select_related("person").order_by("pk"):
        found = outcome(times, presences.get(booking.person_id, ()), threshold=kind.threshold(version.data))
        counts[found] += 1
        # Signed off again: what stays as it was is not written, so that nobody is told twice.
        if booking.state == str(found):
            continue
        rows += write_seat(session, booking.person, str(found), booking.asked_at)[1]
        changed.append(booking.person_id)
        given += _carry_over(booking, found, version, times, by)
    for booking in Booking.objects.known_now().filter(session=session, state=State.WAITING).select_related("person"):
        rows += write_seat(session, booking.person, State.CANCELLED, booking.asked_at)[1]
        changed.append(booking.person_id)
    with changing(session) as snapshots:
        session.state, session.signed_off_at, session.signed_off_by = Session.State.HELD, clock.now(), by.name
        session.save(update_fields=["state", "signed_off_at", "signed_off_by"])
    data = {str(found).replace(" ", "_"): count for found, count in counts.items()}
    # The completions that came of it go with it, where it is taken back.
    entry = record("sign_off", by=by, about=about(session), data=data | snapshots | {"given": given}, rows=rows)
    if changed:
        events.announce(events.SeatsChanged(session.pk, tuple(changed)), entry.act)
    return counts


def _meets_now(session: Session) -> Times:
    """The meeting that is on, or about to begin. Raises NotHere."""
    meeting = on_now(times_of(session), clock.now())
    if meeting is None or session.state != Session.State.PLANNED:
        raise NotHere(f"“{session.module.title}” does not meet now, so nobody can come in.")
    return meeting


def _carry_over(
    booking: Booking, found: Outcome, version: ModuleVersion, times: Sequence[Times], by: Actor
) -> list[str]:
    """The step in every open enrolment: done by attending, or no longer done where that was a mistake.

    The public ids of the completions that follow.
    """
    if found is Outcome.ATTENDED:
        given = complete_by_attendance(person=booking.person, version=version, at=times[-1].end, by=by)
        return [completion.public_id for completion in given]
    if booking.state == State.ATTENDED:
        revoke_attendance(person=booking.person, version=version, at=times[-1].end, by=by)
    return []


def _seated(session: Session) -> FactQuerySet:
    return Booking.objects.known_now().filter(session=session, state__in=Booking.SEATED)


def _presences(session: Session) -> dict[int, list[There]]:
    """Person → when they were there."""
    found: dict[int, list[There]] = {}
    for person, joined, left in Presence.objects.filter(session=session).values_list(
        "person_id", "joined_at", "left_at"
    ):
        found.setdefault(person, []).append((joined, left))
    return found
