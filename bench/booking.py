"""200 people who ask for one of 12 seats at the same moment: never 13, and how fast."""

from __future__ import annotations

import threading
import time
from datetime import time as wall
from datetime import timedelta

from django.db import connection

from bench import check, company
from stepladder import clock
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, ModuleVersion
from stepladder.people.models import Person
from stepladder.timetable import actions
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.errors import SessionFull
from stepladder.timetable.models import Booking, Session


def run(people: int, seats: int) -> list[str]:
    """How long until everybody has an answer, and how many of them have a seat."""
    company.people(people, *company.found(10))
    session = _session(seats)
    answers: list[tuple[str, float]] = []
    ready = threading.Barrier(people + 1)

    def ask(person: Person) -> None:
        ready.wait()
        began = time.perf_counter()
        try:
            actions.book_seat(session=session, person=person, by=company.BY)
            said = "booked"
        except SessionFull:
            said = "full"
        finally:
            connection.close()
        answers.append((said, time.perf_counter() - began))

    threads = [threading.Thread(target=ask, args=(person,)) for person in Person.objects.all()]
    for thread in threads:
        thread.start()
    ready.wait()
    began = time.perf_counter()
    for thread in threads:
        thread.join()
    took = time.perf_counter() - began
    booked = Booking.objects.known_now().filter(state=Booking.State.BOOKED).count()
    check(len(answers) == people, f"{people - len(answers)} of {people} got no answer")
    check(booked == seats == sum(said == "booked" for said, _ in answers), f"{booked} seats were booked of {seats}")
    slowest = max(seconds for _, seconds in answers)
    return [
        f"{people} people asked for {seats} seats at once: {booked} booked, {people - booked} told that it is full",
        f"everybody had an answer after {took:.1f} s ({1000 * took / people:.0f} ms each); the last waited {slowest:.1f} s",
    ]


def _session(seats: int) -> Session:
    binder = create_binder(name="Bench", owner=company.administrator(), is_shared=True, by=company.BY)
    module = Module.objects.create(binder=binder, kind="session", title="The drill", changed_at=clock.now())
    ModuleVersion.objects.create(module=module, number=1, data={}, made_at=clock.now(), made_by="Bench")
    return actions.plan_session(
        module=module,
        meetings=[MeetingPlan(clock.today() + timedelta(days=10), wall(9), 120)],
        capacity=seats,
        room=actions.add_room(venue="Quay", name="Simulator", seats=seats, by=company.BY),
        by=company.BY,
    )
