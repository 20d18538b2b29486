"""Seats and the waiting list: never more booked than there are, and nobody passes one who could take a seat."""

import threading

import pytest
from django.db import connection, transaction

from stepladder import clock, events
from stepladder.accounts.models import Organisation
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack, take_back
from stepladder.people.models import Person
from stepladder.timetable import actions
from stepladder.timetable.actions import seats
from stepladder.timetable.errors import BelowTheBooked, Clashing, HasSeat, NoSeat, NotOpen, SessionFull
from stepladder.timetable.models import Booking, Session
from tests import factories as f


@pytest.fixture
def drill(organisation, media, on):
    on("2026-05-14")
    return f.a_session(capacity=2)


def book(session, person):
    return actions.book_seat(session=session, person=person, by=f.BY)


def wait(session, person):
    return actions.join_waiting_list(session=session, person=person, by=f.BY)


def cancel(session, person):
    actions.cancel_seat(booking=Booking.objects.known_now().get(session=session, person=person), by=f.BY)


def standing(session):
    rows = Booking.objects.known_now().filter(session=session).select_related("person").order_by("person__given_name")
    return {row.person.given_name: row.state for row in rows}


def four():
    return [f.a_person(name) for name in ("Ada Venn", "Bea Marsh", "Cal Dahl", "Dee Hale")]


def test_a_full_session_says_where_one_would_wait_and_books_nothing(drill):
    ada, bea, cal, dee = four()
    book(drill, ada)
    book(drill, bea)
    with pytest.raises(SessionFull, match="Your place on the waiting list is 1; nothing was booked"):
        book(drill, cal)
    wait(drill, cal)
    with pytest.raises(SessionFull, match="is 2"):
        book(drill, dee)
    assert standing(drill) == {"Ada": "booked", "Bea": "booked", "Cal": "waiting"}
    assert list(problems()) == []


def test_a_freed_seat_goes_up_by_itself_in_the_order_of_asking(drill, on):
    Session.objects.update(order="asking")
    ada, bea, cal, dee = four()
    book(drill, ada)
    book(drill, bea)
    wait(drill, dee)
    on("2026-05-15")
    wait(drill, cal)
    with events.held() as announced:
        cancel(drill, ada)
    assert standing(drill) == {"Ada": "cancelled", "Bea": "booked", "Cal": "waiting", "Dee": "booked"}
    assert events.SeatsMovedUp(drill.pk, (dee.pk,)) in announced
    # Whoever cancelled asks anew, behind those who wait.
    with pytest.raises(SessionFull, match="is 2"):
        book(drill, ada)


def test_who_needs_it_soonest_comes_first(drill):
    module = drill.module
    course = f.a_course("Fire on board", [module])
    ada, bea, cal, dee = four()
    book(drill, ada)
    book(drill, bea)
    wait(drill, cal)
    f.an_assignment(course, {"in": None, "named_in": [dee.pk]})
    wait(drill, dee)
    cancel(drill, ada)
    assert standing(drill) == {"Ada": "cancelled", "Bea": "booked", "Cal": "waiting", "Dee": "booked"}


def test_who_has_a_clash_waits_on_in_place_and_somebody_new_may_pass(drill):
    ada, bea, cal, dee = four()
    elsewhere = f.a_session(start="10:00", capacity=3)
    book(drill, ada)
    book(drill, bea)
    wait(drill, cal)
    book(elsewhere, cal)
    cancel(drill, ada)
    assert standing(drill)["Cal"] == "waiting"
    # Cal could not take it, so Dee passes nobody who could.
    book(drill, dee)
    cancel(elsewhere, cal)
    cancel(drill, bea)
    assert standing(drill) == {"Ada": "cancelled", "Bea": "cancelled", "Cal": "booked", "Dee": "booked"}


def test_nobody_learns_or_teaches_in_two_places_at_once(drill):
    ada, bea, *_ = four()
    book(drill, ada)
    beside = f.a_session(start="10:30")
    with pytest.raises(Clashing, match="Ada Venn learns elsewhere on 10 Jun 2026 from 09:00: “The drill”"):
        book(beside, ada)
    # Ends that touch do not clash.
    book(f.a_session(start="11:00"), ada)
    taught = f.a_session("2026-06-11", instructors=[bea])
    with pytest.raises(HasSeat, match="Bea Marsh teaches this session, and cannot learn in it too"):
        book(taught, bea)
    with pytest.raises(Clashing, match="Bea Marsh teaches elsewhere"):
        book(f.a_session("2026-06-11", start="10:00"), bea)
    with pytest.raises(HasSeat, match="Ada Venn has a seat here already"):
        wait(drill, ada)


def test_what_is_over_closed_or_not_held_takes_no_bookings(drill, on):
    ada, bea, *_ = four()
    Session.objects.filter(pk=drill.pk).update(last_booking_day=f.d("2026-06-01"))
    book(drill, ada)
    on("2026-06-02")
    with pytest.raises(NotOpen, match="The last day to book was 1 Jun 2026"):
        book(drill, bea)
    Session.objects.filter(pk=drill.pk).update(last_booking_day=None, state="cancelled")
    with pytest.raises(NotOpen, match="The session is cancelled"):
        book(drill, bea)
    Session.objects.filter(pk=drill.pk).update(state="planned")
    on("2026-06-10")
    with pytest.raises(NotOpen, match="The session has begun, so nobody can book it any more"):
        book(drill, bea)
    with pytest.raises(NotOpen, match="marked absent when it is signed off"):
        cancel(drill, ada)
    with pytest.raises(NoSeat, match="Bea Marsh has no seat here"):
        actions.cancel_seat(booking=Booking(session=drill, person=bea), by=f.BY)


def test_the_capacity_never_falls_below_the_booked_and_more_seats_go_to_who_waits(drill):
    ada, bea, cal, _ = four()
    book(drill, ada)
    book(drill, bea)
    wait(drill, cal)
    with pytest.raises(BelowTheBooked, match="2 people have a seat, so there cannot be 1"):
        actions.set_capacity(session=drill, capacity=1, by=f.BY)
    actions.set_capacity(session=drill, capacity=3, by=f.BY)
    assert standing(drill)["Cal"] == "booked"


def test_a_booking_is_taken_back_unless_the_seat_was_given_to_another(drill):
    ada, bea, cal, _ = four()
    book(drill, ada)
    book(drill, bea)
    wait(drill, cal)
    cancel(drill, ada)
    cancelled = Entry.objects.filter(verb="book_seat", data__state="cancelled").get()
    with pytest.raises(CannotTakeBack, match="The seats of “The drill” were given to others since"):
        take_back(cancelled, by=f.BY)
    take_back(Entry.objects.filter(object_id=bea.public_id, verb="book_seat").get(), by=f.BY)
    assert "Bea" not in standing(drill)
    assert list(problems()) == []


def race(session, people, act):
    """Everybody at once, each with a connection of their own; what each met."""
    ready, met = threading.Barrier(len(people)), []

    def run(person):
        try:
            ready.wait()
            act(session, person)
            met.append("booked")
        except SessionFull:
            met.append("full")
        finally:
            connection.close()

    threads = [threading.Thread(target=run, args=(person,)) for person in people]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    return met


@pytest.fixture
def crowd(transactional_db, media, on):
    on("2026-05-14")
    Organisation.objects.create(name="Marram Sound Ferries")
    return f.a_session(capacity=3), [f.a_person(f"Jun Number{n}") for n in range(12)]


def test_many_who_book_at_once_never_get_more_seats_than_there_are(crowd):
    session, people = crowd
    met = race(session, people, book)
    assert sorted(met) == ["booked"] * 3 + ["full"] * 9
    assert Booking.objects.known_now().filter(state="booked").count() == 3


def test_without_the_transaction_the_race_is_real(crowd, monkeypatch):
    """The twin that shows that the test above proves something: the same steps, each for itself, book too many."""
    session, people = crowd
    everybody_looked = threading.Barrier(len(people))

    def unguarded(session, person):
        free = session.capacity - Booking.objects.known_now().filter(session=session, state="booked").count()
        everybody_looked.wait()
        if free <= 0:
            raise SessionFull(1)
        Booking.objects.create(session=session, person=person, state="booked", asked_at=clock.now())

    race(session, people, unguarded)
    assert Booking.objects.known_now().filter(state="booked").count() > 3


def test_two_who_cancel_while_others_wait_fill_each_seat_once(crowd):
    session, people = crowd
    for person in people[:3]:
        book(session, person)
    for person in people[3:6]:
        wait(session, person)
    race(session, people[:2], cancel)
    states = list(Booking.objects.known_now().values_list("state", flat=True))
    assert (states.count("booked"), states.count("waiting"), states.count("cancelled")) == (3, 1, 2)
    assert Person.objects.filter(bookings__state="booked", bookings__revoked_on=None).distinct().count() == 3
    assert list(problems()) == []
    assert seats.fill_freed_seats(session=session, by=f.BY) == []
    with transaction.atomic():
        assert Session.objects.get().capacity == 3
