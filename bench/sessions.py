"""The pages of sessions: their cost and their queries in a timetable of two years, little against much."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from datetime import time as wall

from django.urls import reverse

from bench import company
from bench.pages import measured
from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.models import AssignmentRule
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, Module, ModuleVersion
from stepladder.people.models import Person
from stepladder.timetable import actions
from stepladder.timetable.models import Booking, Meeting, Room, Session

SEATS = 12
# Sessions are held over two years, up to 60 days from now.
DAYS_BEFORE, DAYS_AFTER = 670, 60


def run(count: int, units: int, sessions: int) -> dict[str, tuple[float, int]]:
    """Page → (median seconds, queries) with so many people, units and sessions of ten modules."""
    made, positions = company.found(units)
    company.people(count, made, positions)
    admin = company.administrator()
    soon = fill(create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY), sessions)
    found = {}
    for label, url in (
        ("week", reverse("timetable:week")),
        ("a day by rooms", reverse("timetable:week") + "?by=room"),
        ("sessions to come", reverse("timetable:list")),
        ("sessions held", reverse("timetable:list") + "?show=held"),
        ("a session’s sheet", reverse("timetable:session", args=[soon.public_id])),
        ("book from who needs it", reverse("timetable:book", args=[soon.public_id])),
        ("roster", reverse("timetable:roster", args=[soon.public_id])),
    ):
        found[label] = measured(admin, url)
    return found


def fill(binder: Binder, sessions: int) -> Session:
    """So many sessions of ten modules; one to come of the first, which sixty people need, however many there are."""
    modules = [_module(binder, n) for n in range(10)]
    rows = _sessions(modules, sessions, max(2, sessions // 100))
    _need(modules[0], binder)
    return next(row for row in rows if row.module_id == modules[0].pk and row.state == Session.State.PLANNED)


def _module(binder: Binder, number: int) -> Module:
    module = Module.objects.create(
        binder=binder, kind="session", title=f"Drill {number}", minutes=120, changed_at=clock.now()
    )
    data = {"minutes": 120, "share": 80}
    ModuleVersion.objects.create(module=module, number=1, data=data, made_at=clock.now(), made_by="Bench")
    return module


def _sessions(modules: list[Module], count: int, rooms: int) -> list[Session]:
    """Sessions at random times, all but full, those before today held; written past the actions."""
    rng = random.Random(company.SEED)  # noqa: S311 - the same numbers each time
    places = [actions.add_room(venue="Quay", name=f"Room {n:03d}", seats=SEATS, by=company.BY) for n in range(rooms)]
    people = list(Person.objects.order_by("pk").values_list("pk", flat=True))
    today = clock.today()
    made, meetings, bookings = [], [], []
    for number in range(count):
        day = today + timedelta(days=rng.randint(-DAYS_BEFORE, DAYS_AFTER) if number >= len(modules) else 20)
        state = Session.State.HELD if day <= today else Session.State.PLANNED
        room: Room = rng.choice(places)
        session = Session(module=modules[number % len(modules)], capacity=SEATS, room=room, state=state)
        starts = datetime.combine(day, wall(rng.randint(8, 15)), tzinfo=UTC)
        made.append(session)
        meetings.append(Meeting(session=session, starts_at=starts, ends_at=starts + timedelta(hours=2)))
        became = Booking.State.ATTENDED if state == Session.State.HELD else Booking.State.BOOKED
        bookings += [
            Booking(session=session, person_id=person, state=became, asked_at=clock.now())
            for person in rng.sample(people, SEATS - 1)
        ]
    Session.objects.bulk_create(made, batch_size=500)
    Meeting.objects.bulk_create(meetings, batch_size=500)
    Booking.objects.bulk_create(bookings, batch_size=500)
    return made


def _need(module: Module, binder: Binder) -> None:
    course = courses.create_course(title="Drills", binder=binder, by=company.BY)
    courses.edit_edition(course=course, revision=None, summary="To be fit for it.", by=company.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[module], by=company.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=company.BY)
    named = list(Person.objects.order_by("-pk").values_list("pk", flat=True)[:60])
    rule = AssignmentRule(
        reach={"in": None, "named_in": named},
        start=clock.today(),
        due_trigger="opening",
        due_days=30,
        notice_days=14,
        is_mandatory=True,
    )
    assigning.assign(course=course, name="Drills", message="", rule=rule, by=company.BY)
