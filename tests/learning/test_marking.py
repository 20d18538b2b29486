"""Hand-ins, marks, and several attempts at a step: what a kind that is marked by people comes in with."""

from datetime import timedelta
from fractions import Fraction

import pytest
from django.core.exceptions import PermissionDenied

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning import actions
from stepladder.learning.errors import AttemptEnded, CountedSince, NotEnded, OwnHandIn
from stepladder.learning.marking import hand_in, mark
from stepladder.learning.models import Attempt, Completion, Enrolment, HandIn, Mark, StepDone
from stepladder.learning.queries import course_view
from tests import factories as f

pytestmark = pytest.mark.django_db


@pytest.fixture
def handed_in():
    """A hand-in of the only step of a course."""
    person = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=person)
    course = f.a_course("Knots")
    f.an_assignment(course)
    return hand_in(attempt=begun(Enrolment.objects.get()), data={"text": "Over, under, through."}, by=f.BY)


def begun(enrolment) -> Attempt:
    return actions.begin_step(enrolment=enrolment, step=enrolment.edition.steps.get(), by=f.BY)


def test_a_step_counts_from_when_it_was_handed_in_not_from_when_it_was_marked(handed_in):
    assert not StepDone.objects.exists()
    with clock.pinned(clock.now() + timedelta(days=3)):
        mark(handed_in=handed_in, has_passed=True, score=Fraction(4, 5), by=f.BY)
    done, completion = StepDone.objects.get(), Completion.objects.get()
    assert (done.at, done.day, done.score) == (handed_in.at, handed_in.day, Fraction(4, 5))
    assert (completion.at, completion.day, completion.score) == (handed_in.at, handed_in.day, Fraction(4, 5))


def test_after_not_passing_one_more_attempt_is_begun_and_counts(handed_in):
    mark(handed_in=handed_in, has_passed=False, note="Show the second knot.", by=f.BY)
    assert not StepDone.objects.exists()
    enrolment = Enrolment.objects.get()
    again = actions.begin_again(attempt=begun(enrolment), by=f.BY)
    assert (again.number, begun(enrolment), course_view(enrolment).steps[0].attempt) == (2, again, again)
    with pytest.raises(NotEnded, match="You are in the middle of “Knots, the booklet”"):
        actions.begin_again(attempt=again, by=f.BY)
    mark(handed_in=hand_in(attempt=again, data={}, by=f.BY), has_passed=True, by=f.BY)
    assert Completion.objects.count() == 1
    verbs = list(Entry.objects.order_by("number").values_list("verb", flat=True))
    assert [v for v in verbs if v in ("hand_in", "mark", "begin_again", "finish_step")] == [
        "hand_in", "mark", "begin_again", "hand_in", "mark", "finish_step",
    ]  # fmt: skip
    assert list(problems()) == []


def test_an_attempt_that_was_handed_in_takes_nothing_more(handed_in):
    attempt = Attempt.objects.get()
    with pytest.raises(AttemptEnded, match="This attempt at “Knots, the booklet” is over"):
        hand_in(attempt=attempt, data={}, by=f.BY)
    with pytest.raises(AttemptEnded):
        actions.keep_attempt(attempt=attempt, data={"pages": [1]}, seconds=5, status="incomplete", score=None)
    assert HandIn.objects.count() == 1


def test_a_mark_that_is_given_anew_takes_the_place_of_the_first(handed_in):
    """The step it made done is undone by it: a fact that is revoked, and stays known for the days before."""
    course = f.a_course("Two steps", [f.a_module("One"), f.a_module("Two")])
    f.an_assignment(course)
    enrolment = Enrolment.objects.get(course=course)
    first = actions.begin_step(enrolment=enrolment, step=enrolment.edition.steps.first(), by=f.BY)
    answer = hand_in(attempt=first, data={}, by=f.BY)
    mark(handed_in=answer, has_passed=True, score=Fraction(1, 2), by=f.BY)
    mark(handed_in=answer, has_passed=True, score=Fraction(3, 5), by=f.BY)
    assert StepDone.objects.known_now().get(enrolment=enrolment).score == Fraction(3, 5)
    mark(handed_in=answer, has_passed=False, by=f.BY)
    assert not StepDone.objects.known_now().filter(enrolment=enrolment).exists()
    assert (StepDone.objects.filter(enrolment=enrolment).count(), Mark.objects.filter(hand_in=answer).count()) == (2, 3)
    assert course_view(enrolment).progress.done == 0
    assert list(problems()) == []


def test_a_mark_that_a_completion_rests_on_is_not_turned_round(handed_in):
    mark(handed_in=handed_in, has_passed=True, by=f.BY)
    with pytest.raises(CountedSince, match="has completed “Knots” by it"):
        mark(handed_in=handed_in, has_passed=False, by=f.BY)
    assert Mark.objects.known_now().get().has_passed


def test_nobody_marks_their_own_nor_what_is_in_others_binders(handed_in):
    jun = Account.objects.get(person__isnull=False)
    with pytest.raises(PermissionDenied):
        mark(handed_in=handed_in, has_passed=True, by=jun)
    handed_in.attempt.module.binder.co_editors.add(jun)
    jun.grants.create(role="author")
    with pytest.raises(OwnHandIn, match="This is your own"):
        mark(handed_in=handed_in, has_passed=True, by=Account.objects.get(pk=jun.pk))
    assert not Mark.objects.exists()
