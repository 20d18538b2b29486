"""A quiz as an entry test: passed, it does the main steps that it spares; failed, nothing is held against anybody. Rule: 6."""

import pytest

from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning.actions import begin_step
from stepladder.learning.models import Completion, Enrolment, StepDone
from stepladder.learning.queries import course_view
from stepladder.quizzes.actions.papers import begin_paper
from tests import factories as f
from tests.quizzes.asked import a_released, answer_all, hand_in

pytestmark = pytest.mark.django_db


@pytest.fixture
def place():
    """Jun's in a course of two steps with an entry test, of which the second is not spared."""
    person = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=person)
    modules = [f.a_module("Spared"), f.a_module("Owed all the same")]
    test = a_released(title="For old hands", pass_mark="60").module
    course = courses.create_course(title="Closed spaces", binder=test.binder, by=f.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=modules, by=f.BY)
    courses.add_steps(course=course, part=Part.ENTRY, modules=[test], by=f.BY)
    owed = courses.draft_of(course).steps.get(module=modules[1])
    said = {"is_obligatory": True, "weight": 1, "take_newest": False, "is_spared": False}
    courses.edit_step(course=course, step=owed, by=f.BY, **said)
    courses.edit_edition(course=course, revision=None, summary="Nobody below without a permit.", outcome="", by=f.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=f.BY)
    f.an_assignment(Course.objects.get(pk=course.pk))
    return Enrolment.objects.get()


def take(place, *places):
    step = place.edition.steps.get(part=Part.ENTRY)
    paper = begin_paper(attempt=begin_step(enrolment=place, step=step, by=f.BY), by=f.BY)
    answer_all(paper, *places)
    return hand_in(paper)


def test_passed_it_does_what_it_spares_with_its_score_as_of_then(place):
    paper = take(place, 1, 2)
    done = StepDone.objects.known_now().get(is_exempted=True)
    assert (done.module.title, done.at, done.score) == ("Spared", paper.handed_in_at, paper.score)
    view = course_view(place)
    assert (view.progress.done, view.progress.owed, view.next.step.title) == (1, 2, "Owed all the same")
    assert Entry.objects.filter(verb="exempt_step").count() == 1
    assert list(problems()) == []


def test_where_it_spares_all_the_course_is_complete_with_its_score():
    person = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=person)
    test = a_released(title="For old hands", pass_mark="60").module
    course = courses.create_course(title="Closed spaces", binder=test.binder, by=f.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[f.a_module("One"), f.a_module("Two")], by=f.BY)
    courses.add_steps(course=course, part=Part.ENTRY, modules=[test], by=f.BY)
    courses.edit_edition(course=course, revision=None, summary="Nobody below without a permit.", outcome="", by=f.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=f.BY)
    f.an_assignment(Course.objects.get(pk=course.pk))
    paper = take(Enrolment.objects.get(), 1, 2)
    found = Completion.objects.get()
    assert (found.at, found.score) == (paper.handed_in_at, paper.score)


def test_failed_it_holds_nothing_against_anybody(place):
    take(place, 1)
    view = course_view(place)
    assert (view.progress.done, view.progress.owed, StepDone.objects.exists()) == (0, 2, False)
    assert view.next.step.title == "Spared"


def test_a_course_has_one_and_it_is_a_test(place):
    draft = courses.new_edition(course=place.course, by=f.BY)
    assert [step.is_spared for step in draft.steps.filter(part=Part.MAIN)] == [True, False]
    with pytest.raises(CourseError, match="A course has one entry test"):
        courses.add_steps(course=place.course, part=Part.ENTRY, modules=[f.a_module("Another")], by=f.BY)
    placed = [(step.pk, Part.MAIN) for step in draft.steps.all()]
    courses.order_steps(course=place.course, placed=placed, by=f.BY)
    spared = draft.steps.get(module__title="Spared").pk
    entry = [(pk, Part.ENTRY if pk == spared else part) for pk, part in placed]
    with pytest.raises(CourseError, match="“Spared” is no test"):
        courses.order_steps(course=place.course, placed=entry, by=f.BY)
