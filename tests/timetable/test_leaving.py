"""Whoever leaves the organisation gives their seats back, in sessions after their last day."""

from django.core import mail

from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.people import actions as people
from stepladder.timetable import actions
from tests import factories as f
from tests.timetable.drills import some, standing


def test_who_leaves_gives_back_their_seat_and_the_first_who_waits_has_it(drill, django_capture_on_commit_callbacks):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    for person in (ada, bea):
        actions.book_seat(session=drill, person=person, by=f.BY)
    actions.join_waiting_list(session=drill, person=cal, by=f.BY)
    with django_capture_on_commit_callbacks(execute=True):
        people.leave_organisation(person=ada, left_on=f.d("2026-06-09"), by=f.BY)
        people.leave_organisation(person=bea, left_on=f.d("2026-06-10"), by=f.BY)
    assert standing(drill) == {"Ada": "cancelled", "Bea": "booked", "Cal": "booked"}
    told = {(letter.to[0].split("@")[0], letter.subject) for letter in mail.outbox}
    assert ("ada", "You no longer have a seat in “The drill”") in told
    assert ("cal", "A seat in “The drill” is yours now") in told
    entry = Entry.objects.get(verb="give_back_of_leavers")
    assert (entry.data["names"], entry.actor_name) == ("Ada Venn", "Test")
    assert list(problems()) == []


def test_so_do_many_at_once_and_those_whose_hiring_is_taken_back(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    actions.book_seat(session=drill, person=ada, by=f.BY)
    actions.join_waiting_list(session=drill, person=bea, by=f.BY)
    people.leave_many(people=[ada, bea], left_on=f.d("2026-05-31"), by=f.BY)
    assert standing(drill) == {"Ada": "cancelled", "Bea": "cancelled"}
    actions.book_seat(session=drill, person=cal, by=f.BY)
    people.edit_person(
        person=cal, revision=None, given_name="Cal", family_name="Dahl", email="", outside_id=None, by=f.BY
    )
    assert standing(drill)["Cal"] == "booked"
