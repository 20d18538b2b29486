"""Marram Sound Ferries: rooms, the sessions of this winter, who has a seat in them and who waits."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, time, timedelta
from typing import Any

from stepladder import clock
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account, Role
from stepladder.accounts.sign_in import set_roles
from stepladder.config.demo.crew import BY, at
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.models import Course
from stepladder.learning import actions as learning
from stepladder.learning.models import Enrolment
from stepladder.library import actions as library
from stepladder.library.models import Binder, Module
from stepladder.people.models import Person
from stepladder.people.queries import active_on
from stepladder.timetable import actions, kind, queries
from stepladder.timetable.models import Meeting, Room, Session, Venue

__all__ = ["make_session_modules", "make_sessions", "teach_in_rooms"]

# title, binder, minutes, what is done there, the course it becomes a step of
MODULES = [
    (
        "Sea survival, in the pool",
        "Deck",
        240,
        "Suits, rafts and cold water, in the hall’s deep end.",
        "Sea survival basics",
    ),
    ("Fire drill on board", "Deck", 120, "Alarm, hoses and muster on a vessel that lies still.", "Fire on board"),
    ("Moving a crowd, an exercise", "Passengers", 180, "Forty volunteers, one stair, two exits.", "Guiding a crowd"),
]
ROOMS = [
    ("Marram Quay, training house", "3 Quay Street, Marram", "Upper room", 14),
    ("Marram Quay, training house", "3 Quay Street, Marram", "Net loft", 24),
    ("Osier swimming hall", "Bath Lane, Osier Point", "Deep end", 8),
    ("Alongside at Marram Quay", "Berth 2", "Car deck of the Dunlin", 16),
    ("Holm Landing", "The old customs house, Holm", "Waiting hall", 20),
]
POOL, DRILL, CROWD = (plan[0] for plan in MODULES)


def make_session_modules(today: date, age: int) -> None:
    """What is taught in a room, brought in with the library."""
    with clock.pinned(at(today - timedelta(days=age))):
        for title, binder, minutes, description, _ in MODULES:
            worked = kind.made(title, minutes, kind.DEFAULT_SHARE, description)
            library.create_module(binder=Binder.objects.get(name=binder), kind=kind.KIND, worked=worked, by=BY)


def teach_in_rooms(today: date, days_ago: int) -> None:
    """New editions that end in a session: whoever has the course keeps it until it expires, whoever renews comes."""
    with clock.pinned(at(today - timedelta(days=days_ago), 7)):
        for title, _, _, _, name in MODULES:
            course = Course.objects.get(title=name)
            courses.new_edition(course=course, by=BY)
            courses.add_steps(course=course, part=Part.MAIN, modules=[Module.objects.get(title=title)], by=BY)
            courses.release_course(course=course, size="large", retake_by=None, by=BY)


def make_sessions(today: date, days_ago: int) -> None:
    """The winter's sessions: one held, one to sign off, one over-full, an instructor in two places, one that was cancelled."""
    rooms = _rooms(today, days_ago)
    first = today - timedelta(days=today.weekday())
    with clock.pinned(at(today - timedelta(days=days_ago), 10)):
        teachers = _teachers()
        held = _plan(POOL, [(today - timedelta(days=4), 9, 240)], rooms["Deep end"], 8, teachers[:1])
        over = _plan(DRILL, [(today - timedelta(days=1), 13, 120)], rooms["Car deck of the Dunlin"], 16, teachers[1:2])
    _make_past(today, rooms, teachers)
    with clock.pinned(at(today - timedelta(days=days_ago), 10)):
        for session in (held, over):
            _fill(session, session.capacity - 1)
    with clock.pinned(at(today - timedelta(days=3), 8, 40)):
        _note(held, absent=1, short=1)
        actions.sign_off(session=held, by=teachers[0].account or BY)
    with clock.pinned(at(today - timedelta(days=1), 14, 50)):
        _note(over, absent=0, short=0, only=5)
    with clock.pinned(at(today - timedelta(days=2), 11)):
        _to_come(first, rooms, teachers)
        _make_available(rooms, teachers)


def _make_available(rooms: dict[str, Room], teachers: Sequence[Person]) -> None:
    """When the pool can be had, and on which days who teaches what."""
    morning = (time(9), time(13))
    actions.set_room_hours(room=rooms["Deep end"], hours={1: morning, 3: morning}, site=None, by=BY)
    modules = {title: Module.objects.get(title=title) for title in (POOL, DRILL, CROWD)}
    for teacher, days, most, titles in zip(
        teachers, ([1, 3], range(7), [0, 2, 4]), (1, 3, 1), ([POOL], [DRILL, CROWD], [DRILL]), strict=False
    ):
        taught = [modules[title] for title in titles]
        actions.set_teaching(person=teacher, weekdays=days, most_a_day=most, languages=[], modules=taught, by=BY)


def _make_past(today: date, rooms: dict[str, Room], teachers: Sequence[Person]) -> None:
    """Two sessions a month of the year behind us, when they were still apart from the courses: more and more of their seats are used."""
    places = [(POOL, "Deep end", 8, 240), (DRILL, "Car deck of the Dunlin", 16, 120), (CROWD, "Net loft", 12, 180)]
    for number in range(20):
        title, room, capacity, minutes = places[number % len(places)]
        day = today - timedelta(days=15 * (21 - number))
        with clock.pinned(at(day - timedelta(days=10), 10)):
            session = _plan(title, [(day, 9, minutes)], rooms[room], capacity, teachers[number % 3 : number % 3 + 1])
            # Not of who is under way now: what they attended before would be done in the course that is asked of them today.
            under_way = Enrolment.objects.filter(
                completed_at=None, closed_on=None, edition__steps__module=session.module
            )
            here = Person.objects.filter(pk__in=active_on(day).values("person")).exclude(teaches=session)
            here = here.exclude(pk__in=under_way.values("person"))
            people = [
                person for person in here.order_by("pk")[number * 7 : number * 7 + capacity] if not _is_jun(person)
            ]
            actions.book_many(session=session, people=people[: capacity * (number + 20) // 40], by=BY)
        with clock.pinned(at(day, 18)):
            _note(session, absent=number % 3, short=number % 2)
            actions.sign_off(session=session, by=BY)


def _to_come(first: date, rooms: dict[str, Room], teachers: Sequence[Person]) -> None:
    week = timedelta(days=7)
    full = _plan(POOL, [(first + week + timedelta(days=1), 9, 240)], rooms["Deep end"], 8, teachers[:1])
    _fill(full, 12)
    drill = _plan(
        DRILL, [(first + week + timedelta(days=1), 10, 120)], rooms["Car deck of the Dunlin"], 16, teachers[1:2]
    )
    _fill(drill, 9)
    # Two places at once: said when it was planned, and planned all the same.
    _plan(
        CROWD,
        [(first + week + timedelta(days=1), 11, 180)],
        rooms["Waiting hall"],
        20,
        teachers[1:2],
        despite_clashes=True,
    )
    _plan(CROWD, [(first + week + timedelta(days=n), 13, 90) for n in (3, 4)], rooms["Net loft"], 12, teachers[2:3])
    _fill(
        _plan(
            DRILL, [(first + 2 * week + timedelta(days=2), 9, 120)], rooms["Car deck of the Dunlin"], 12, teachers[1:2]
        ),
        4,
    )
    _plan(DRILL, [(first + week + timedelta(days=4), 15, 60)], None, 30, teachers[2:3])
    for n in range(2, 6):
        _plan(POOL, [(first + n * week + timedelta(days=1), 9, 240)], rooms["Deep end"], 8, teachers[:1])
    gone = _plan(POOL, [(first + 3 * week + timedelta(days=3), 9, 240)], rooms["Deep end"], 8, teachers[:1])
    actions.cancel_session(session=gone, because="The hall repairs its boiler", by=BY)


def _rooms(today: date, days_ago: int) -> dict[str, Room]:
    with clock.pinned(at(today - timedelta(days=days_ago), 9)):
        found = {name: actions.add_room(venue=venue, name=name, seats=seats, by=BY) for venue, _, name, seats in ROOMS}
    for venue, address, _, _ in ROOMS:
        Venue.objects.filter(name=venue).update(address=address)
    return found


def _teachers() -> list[Person]:
    """Three who teach besides their work; the first signs in as an instructor."""
    found = [
        Person.objects.filter(placements__position__name=position, placements__to_day=None).order_by("pk")[place]
        for position, place in (("Chief mate", 3), ("Bosun", 4), ("Shift lead", 2))
    ]
    set_roles(account=_account_of(found[0]), roles=[Role.INSTRUCTOR, Role.LEARNER], by=BY)
    return found


def _account_of(person: Person) -> Account:
    person.account = create_account(email=person.email, name=person.name, roles=[], by=BY)
    person.save(update_fields=["account"])
    account: Account = person.account
    return account


def _plan(
    title: str,
    meetings: Sequence[tuple[date, int, int]],
    room: Room | None,
    capacity: int,
    teachers: Sequence[Person],
    *,
    despite_clashes: bool = False,
) -> Session:
    return actions.plan_session(
        module=Module.objects.get(title=title),
        meetings=[actions.MeetingPlan(day, time(hour), minutes) for day, hour, minutes in meetings],
        room=room,
        capacity=capacity,
        instructors=teachers,
        language="English",
        note="Bring a towel; suits are there." if title == POOL else "",
        despite_clashes=despite_clashes,
        by=BY,
    )


def _fill(session: Session, count: int) -> None:
    """Seats for those who need it soonest; whoever gets none waits."""
    soonest = [person for person, _ in queries.needing(session.module)]
    known = Person.objects.in_bulk(soonest)
    teaches = set(session.instructors.values_list("pk", flat=True))
    people = [known[key] for key in soonest if key not in teaches and not _is_jun(known[key])]
    booked = actions.book_many(session=session, people=people[:count], by=BY).booked
    # Most come prepared: nothing but the session is left for them to do.
    for number, person in enumerate(booked):
        if number % 4:
            _prepare(person, session.module)


def _prepare(person: Person, module: Module) -> None:
    """All steps before the session are done."""
    places = Enrolment.objects.filter(
        person=person, completed_at=None, closed_on=None, edition__steps__module=module
    ).select_related("person", "course", "edition")
    for place in places:
        steps = (
            place.edition.steps.exclude(module=module).select_related("module", "version").order_by("-part", "place")
        )
        for step in steps.filter(is_obligatory=True):
            attempt = learning.begin_step(enrolment=place, step=step, by=BY)
            data = _seen(step.version.data)
            learning.keep_attempt(attempt=attempt, data=data, seconds=300, status="completed", score=None)
            learning.finish_step(attempt=attempt, score=None, by=BY)


def _seen(version: dict[str, Any]) -> dict[str, Any]:
    """What a player reports of somebody who saw all of it."""
    if "pages" in version:
        return {"pages": list(range(1, version["pages"] + 1)), "at": version["pages"]}
    return {"played": [[0, version["seconds"]]], "at": version["seconds"]} if "seconds" in version else {}


def _is_jun(person: Person) -> bool:
    return (person.given_name, person.family_name) == ("Jun", "Pellam")


def _note(session: Session, *, absent: int, short: int, only: int = 100) -> None:
    """The roster as it was taken: all of the time, but for some who came late or not at all."""
    people = [row.person for row in queries.roster(queries.one_row(session))]
    meetings: list[Meeting] = list(session.meetings.all())
    marks = {}
    for number, person in enumerate(people[:only]):
        share = 0 if number < absent else 0.5 if number < absent + short else 1
        marks[person] = {m: int((m.ends_at - m.starts_at) / timedelta(minutes=1) * share) for m in meetings}
    actions.keep_minutes(session=session, marks=marks, by=BY)
