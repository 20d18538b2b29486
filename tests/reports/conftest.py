from fractions import Fraction

import pytest

from stepladder.catalogue.models import Kept
from stepladder.courses.models import Course
from stepladder.learning import actions as learning
from stepladder.learning.models import Enrolment, Stretch
from stepladder.learning.time_spent import add_signed_time
from stepladder.people import actions as people
from stepladder.people.models import Placement
from stepladder.playing.notes import write_note
from stepladder.timetable import actions as timetable
from stepladder.topics.models import Topic
from tests import factories as f


@pytest.fixture
def fleet(organisation, media, on):
    """Six people on two vessels below Fleet and one ashore; Fire is asked of the fleet since March, half of them have it in April.

    Ada moved from the Dunlin to the Knot on 1 May. A drill on 12 May, four seats: two were there, one was not. Today is 14 May 2026.
    """
    on("2026-03-01")
    f.a_unit("Fleet")
    f.a_unit("Dunlin", "Fleet")
    f.a_unit("Knot", "Fleet")
    f.a_unit("Shore")
    drill = f.a_module("The drill", kind="session")
    booklet = f.a_module("The booklet")
    course = f.a_course("Fire", [booklet], months=12)
    course.topics.add(Topic.objects.create(name="Safety"))
    names = ("Ada Venn", "Bo Tarn", "Cleo Wick", "Dora Hale", "Eli Moss")
    crew = [f.a_person(name, unit="Dunlin" if n < 3 else "Knot") for n, name in enumerate(names)]
    clerk = f.a_person("Fay Lund", unit="Shore", position="Ticket clerk")
    teacher = f.a_person("Gus Orr", unit="Shore", position="Instructor")
    f.an_account("learner", name="Ada Venn", person=crew[0])
    f.an_assignment(course, f.in_units(f.a_unit("Fleet")), start=f.d("2026-03-01"))
    for day, person, score in (
        ("2026-04-02", crew[0], "4/5"),
        ("2026-04-20", crew[1], "1"),
        ("2026-04-20", crew[3], None),
    ):
        on(day)
        place = Enrolment.objects.get(person=person, course=course)
        attempt = learning.begin_step(enrolment=place, step=place.edition.steps.get(), by=f.BY)
        on(day, hour=11)
        learning.keep_attempt(
            attempt=attempt, data={}, seconds=1200, status="completed", score=Fraction(score) if score else None
        )
        add_signed_time(attempt=attempt, source="", until=attempt.last_at, minutes=20)
        learning.finish_step(attempt=attempt, score=Fraction(score) if score else None, by=f.BY)
    on("2026-05-01")
    people.move(
        person=crew[0],
        unit=f.a_unit("Knot"),
        position=f.a_position(),
        from_day=f.d("2026-05-01"),
        ending=Placement.objects.known_now().filter(person=crew[0]),
        by=f.BY,
    )
    session = f.a_session("2026-05-12", module=drill, capacity=4, instructors=[teacher])
    timetable.book_many(session=session, people=[crew[0], crew[2], clerk], by=f.BY)
    on("2026-05-12", hour=13)
    whole = {session.meetings.get(): 120}
    timetable.keep_minutes(session=session, marks={crew[0]: whole, clerk: whole}, by=f.BY)
    timetable.sign_off(session=session, by=f.BY)
    on("2026-05-13")
    Kept.objects.create(person=crew[0], course=course, at=Stretch.objects.first().ended_at)
    write_note(version=booklet.versions.get(), place=1.0, text="Where the hose hangs", by=crew[0].account)
    on("2026-05-14")
    return course, crew


@pytest.fixture
def fire(fleet) -> Course:
    return fleet[0]
