"""What stands against taking back acts on sessions and seats, how they are undone, and what follows."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from stepladder import clock, events
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Machine
from stepladder.journal.models import Entry, EntryRow
from stepladder.journal.queries import as_sentence
from stepladder.learning.actions import complete_by_attendance, resting_on, revoke_attendance
from stepladder.library.models import ModuleVersion
from stepladder.people.models import Person
from stepladder.timetable.actions import fill_freed_seats
from stepladder.timetable.models import Booking, Room, Session
from stepladder.timetable.occupancy import times_of
from stepladder.timetable.snapshots import clashes_of, in_words, restore, snapshot, times_in
from stepladder.web.templatetags.web import day

__all__ = ["register"]

FREED = Machine("Waiting list")
State = Booking.State
# What each act may have changed of a session, and what the way back needs.
ON_SESSIONS = {
    "plan_session": "plan sessions",
    "reschedule": "plan sessions",
    "cancel_session": "plan sessions",
    "set_capacity": "plan sessions",
    "change_session": "plan sessions",
    "sign_off": "take attendance",
}


def _seats(rows: list[Fact], act: events.Act) -> None:
    bookings: Any = rows
    for session in sorted({row.session_id for row in bookings}):
        people = {row.person_id for row in bookings if row.session_id == session}
        events.announce(events.SeatsChanged(session, tuple(sorted(people))), act)
        fill_freed_seats(session=Session.objects.get(pk=session), by=FREED)


def _too_many(rows: list[Fact]) -> list[str]:
    """Seats that would come back though others have them by now."""
    bookings: Any = rows
    back: dict[int, int] = {}
    for row in bookings:
        if row.state == State.BOOKED:
            back[row.session_id] = back.get(row.session_id, 0) + (1 if row.is_revoked else -1)
    found = []
    for row in {row.session_id: row for row in bookings}.values():
        booked = Booking.objects.known_now().filter(session=row.session_id, state=State.BOOKED).count()
        if booked + back.get(row.session_id, 0) > row.session.capacity:
            found.append(f"The seats of “{row.session.module.title}” were given to others since.")
    return found


def _session_of(entry: Entry) -> Session:
    return Session.objects.select_related("module", "room__venue").get(public_id=entry.object_id)


def _against(entry: Entry) -> list[str]:
    """Why a session cannot be again what it was before an act."""
    if "was" not in entry.data:
        return ["It was done before the journal kept how the session had been."]
    session, was = _session_of(entry), entry.data["was"]
    now = snapshot(session)
    if any(now[name] != value for name, value in entry.data["became"].items()):
        return [_changed_since(entry)]
    return [text for check in AGAINST for text in check(entry, session, {**now, **was})]


def _changed_since(entry: Entry) -> str:
    later = Entry.objects.filter(object_kind="session", object_id=entry.object_id, number__gt=entry.number)
    gone = set(later.filter(takes_back__isnull=False).values_list("takes_back", flat=True))
    mine = entry.data["became"].keys()
    for other in later.filter(verb__in=ON_SESSIONS).order_by("-number"):
        if other.number not in gone and mine & other.data.get("became", {}).keys():
            return f"{other.object_name} {as_sentence(other)} since: take that back first."
    return f"{entry.object_name} is not as it was left."


def _is_over(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    start = times_in(again)[0].start
    if "meetings" not in entry.data["was"] or start >= clock.now():
        return []
    starts = start.astimezone(clock.zone())
    return [f"It began on {day(starts.date())} at {starts:%H:%M} then, and that is over."]


def _has_no_room(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    found = []
    booked = Booking.objects.known_now().filter(session=session, state=State.BOOKED).count()
    if again["capacity"] < booked:
        found.append(f"It had {again['capacity']} seats, and {booked} are booked now.")
    room = Room.objects.select_related("venue").filter(public_id=again["room"]).first()
    if room is not None and room.seats < again["capacity"]:
        found.append(f"{room} has {room.seats} seats only.")
    return found


def _clashes(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    """What its room and its people do at that time by now, but what they did before the act too."""
    data = entry.data
    if again["state"] != Session.State.PLANNED or not {"state", "meetings", "room", "instructors"} & data["was"].keys():
        return []
    # Who keeps their seat at another time is told of a clash, as when it was moved; who gets it back has it without one.
    returning = [before.person_id for before, _ in _pairs(entry, session) if before and before.state == State.BOOKED]
    found = clashes_of(session, {**again, "learners": returning}, moved_to=data.get("to", ""))
    return [text for text in found if text not in data["knew"]]


def _learn(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    """Instructors who have a seat by now."""
    bookings = Booking.objects.known_now().filter(session=session, state__in=[State.BOOKED, State.WAITING])
    rows = bookings.filter(person__public_id__in=again["instructors"]).select_related("person")
    return [f"{row.person.name} learns in it by now." for row in rows]


def _have_seats(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    """Who was given a seat since the session was planned."""
    if entry.verb != "plan_session":
        return []
    known = Booking.objects.known_now().filter(session=session)
    count = known.exclude(state=State.CANCELLED).count()
    people = "One person has a seat in it or waits" if count == 1 else f"{count} people have seats in it or wait"
    return [f"{people} for one by now: cancel it instead, and say why."] if count else []


def _rests_on_it(entry: Entry, session: Session, again: dict[str, Any]) -> list[str]:
    """Completions that somebody came to since by having attended; those that the sign-off itself gave go with it."""
    if entry.verb != "sign_off":
        return []
    attended = [after.person_id for _, after in _pairs(entry, session) if after.state == State.ATTENDED]
    at = times_of(session)[-1].end
    found = resting_on(people=attended, module=session.module_id, at=at, given=_given(entry))
    return [f"{name} has completed “{course}” by it: revoke that completion first." for name, course in found]


def _given(entry: Entry) -> list[str]:
    """The completions that a sign-off gave, as far as the journal kept them then."""
    given: list[str] = entry.data.get("given", [])
    return given


# Each says why one thing cannot be again as it was; adding one is adding its name.
AGAINST: list[Callable[[Entry, Session, dict[str, Any]], list[str]]] = [
    _is_over,
    _has_no_room,
    _clashes,
    _learn,
    _have_seats,
    _rests_on_it,
]


def _pairs(entry: Entry, session: Session) -> list[tuple[Booking | None, Booking]]:
    """What an act made of each seat of a session: as it was (None: none), and as it became."""
    keys = EntryRow.objects.filter(entry=entry, table=Booking._meta.db_table).values("row")
    rows: dict[int, list[Booking]] = {}
    for row in Booking.objects.filter(pk__in=keys, session=session).select_related("person").order_by("pk"):
        rows.setdefault(row.person_id, []).append(row)
    return [(pair[0] if len(pair) > 1 else None, pair[-1]) for pair in rows.values()]


def _undo(entry: Entry, act: events.Act) -> None:
    session, was = _session_of(entry), entry.data["was"]
    if entry.verb == "sign_off":
        _undo_steps(entry, session, act.by)
    taught = set(session.instructors.values_list("pk", flat=True))
    restore(session, was)
    teach = set(session.instructors.values_list("pk", flat=True))
    if "state" in was and entry.verb == "cancel_session":
        # Everybody who taught was told that they do not.
        taught = set()
    if entry.verb == "plan_session":
        events.announce(events.SessionCancelled(session.pk, ()), act)
    if taught != teach:
        change = events.InstructorsChanged(session.pk, tuple(sorted(teach - taught)), tuple(sorted(taught - teach)))
        events.announce(change, act)
    if {"meetings", "room", "live_address"} & was.keys():
        seats = Booking.objects.known_now().filter(session=session, state__in=[State.BOOKED, State.WAITING])
        people = tuple(seats.values_list("person_id", flat=True))
        events.announce(events.SessionRescheduled(session.pk, people), act)
    fill_freed_seats(session=session, by=FREED)


def _undo_steps(entry: Entry, session: Session, by: Actor) -> None:
    """Steps that were done by attending are not done; those that a correction had undone are done again."""
    version = ModuleVersion.objects.select_related("module").filter(module=session.module).order_by("-number")[0]
    at = times_of(session)[-1].end
    for before, after in _pairs(entry, session):
        if after.state == State.ATTENDED:
            revoke_attendance(person=after.person, version=version, at=at, by=by, given=_given(entry))
        elif before is not None and before.state == State.ATTENDED:
            complete_by_attendance(person=after.person, version=version, at=at, by=by)


def _describe(entry: Entry) -> tuple[list[str], list[str]]:
    was = {} if entry.verb == "plan_session" else entry.data.get("was", {})
    return in_words(was), in_words(entry.data.get("became", {}))


def _seat(row: Booking) -> str:
    starts = row.session.meetings.all()[0].starts_at.astimezone(clock.zone())
    return f"{row.person.name}: {row.state} in “{row.session.module.title}” on {day(starts.date())}"


def _of_series(entry: Entry) -> list[Entry]:
    """The acts by which the sessions of a series were planned, but those that were taken back one by one."""
    planned = list(Entry.objects.filter(verb="plan_session", number__gt=entry.number, data__series=entry.number))
    gone = Entry.objects.filter(takes_back__in=[one.number for one in planned]).values_list("takes_back", flat=True)
    return [one for one in planned if one.number not in set(gone)]


def _sessions_of_series(entry: Entry) -> Any:
    return Session.objects.filter(public_id__in=[one.object_id for one in _of_series(entry)])


def _against_series(entry: Entry) -> list[str]:
    return [f"{one.data['when']}: {text}" for one in _of_series(entry) for text in undoing.obstacles(one)]


def _undo_series(entry: Entry, act: events.Act) -> None:
    for one in _of_series(entry):
        undoing.take_back(one, by=act.by)


def register() -> None:
    undoing.add_inverse(
        "plan sessions", "plan_series", whose=_sessions_of_series, depends=_against_series, undo=_undo_series
    )
    undoing.add_table(
        Booking,
        describe=_seat,
        reads=("session__module", "session__meetings"),
        depends=_too_many,
        after=_seats,
    )
    theirs = undoing.of_rows(Person, Booking)
    undoing.add_verbs("book seats", "book_seat", "book_many", "give_back_of_leavers", whose=theirs)
    for verb, needs in ON_SESSIONS.items():
        undoing.add_inverse(
            needs, verb, whose=undoing.of_object(Session), depends=_against, undo=_undo, describe=_describe
        )
