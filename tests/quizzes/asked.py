"""Banks, quizzes and papers for tests, in as few words as can be."""

from random import Random

from django.db import transaction

from stepladder.core.questions.plain_text import read_text
from stepladder.core.quizzes import Pick
from stepladder.learning.actions import begin_step
from stepladder.learning.models import Attempt, Enrolment
from stepladder.queue.actions import at_once
from stepladder.quizzes.actions import banks, plans
from stepladder.quizzes.actions.papers import answer_question, begin_paper, hand_in_paper
from stepladder.quizzes.asking import order_shown, question_of
from stepladder.quizzes.models import Bank, Paper, Quiz
from stepladder.quizzes.releasing import release_quiz
from tests import factories as f

EASY = """\
Topic: Cold chain
Difficulty: easy

One. How warm may the cold store be at most?
right: 5 °C
wrong: 2 °C | Colder than needed.

True. Milk stands in the cold store.

Text. What hangs at the door?
right: the cleaning plan
"""
BY_HAND = """\
Long. What do you do when the store is too warm?
good: Names whom to tell.
points for: whom to tell, 1
"""


def a_bank(text=EASY, name="Galley", binder=None) -> Bank:
    by = f.an_account("administrator")
    bank = banks.create_bank(binder=binder or f.a_binder(), name=name, by=by)
    read = read_text(text)
    assert not read.mistakes
    banks.add_questions(bank=bank, questions=read.questions, by=by)
    return bank


def a_quiz(*draws, bank=None, title="Galley hygiene", **conditions) -> Quiz:
    """A draft with one section: each draw is what a Pick says; without any, one of every question of the bank, in its order."""
    bank = bank or a_bank()
    by = f.an_account("administrator")
    quiz = plans.create_quiz(binder=bank.binder, title=title, by=by)
    every = [Pick(question=key) for key in bank.questions.order_by("pk").values_list("public_id", flat=True)]
    picks = [Pick(bank=bank.public_id, **said) for said in draws] or every
    plans.add_picks(quiz=quiz, section=0, picks=picks, by=by)
    plans.set_conditions(quiz=quiz, conditions={"is_mixed": False, **conditions}, by=by)
    return quiz


def a_released(*draws, **said):
    """A version of a quiz."""
    return release_quiz(quiz=a_quiz(*draws, **said), by=f.an_account("administrator"))


def an_attempt(version, name="Jun Pellam", course="Galley") -> Attempt:
    """Of somebody with an account, at the only step of a course."""
    person = f.a_person(name)
    f.an_account("learner", name=name, person=person)
    if not Enrolment.objects.filter(course__title=course).exists():
        f.an_assignment(f.a_course(course, [version.module]))
    enrolment = Enrolment.objects.get(person=person, course__title=course)
    return begin_step(enrolment=enrolment, step=enrolment.edition.steps.get(), by=f.BY)


def a_paper(version, name="Jun Pellam", course="Galley", seed=1) -> Paper:
    return begin_paper(attempt=an_attempt(version, name, course), by=f.BY, drawing=Random(seed))


def hand_in(paper) -> Paper:
    """Handed in, with what the queue does right after."""
    with transaction.atomic(), at_once():
        done = hand_in_paper(paper=paper, by=f.BY)
    done.refresh_from_db()
    return done


def right_answer(answer):
    """What a page would send for the right answer to one of EASY, as that stands on the paper."""
    question = question_of(answer)
    kind = question.kind.value
    if kind == "one":
        order = order_shown(answer, question)
        return next(place for place, index in enumerate(order) if question.choices[index].is_right)
    if kind == "number":
        return str(float(question.number))
    return {"true_false": question.is_true, "text": (question.accepted or ("",))[0]}.get(kind, "Tell the chief cook.")


def answer(paper, place, given, tab="a", revision=None, **said):
    if revision is None:
        revision = paper.answers.get(place=place).revision
    return answer_question(
        attempt=paper.attempt,
        place=place,
        given=given,
        is_set_aside=said.pop("is_set_aside", False),
        revision=revision,
        tab=tab,
        by=f.BY,
        **said,
    )


def answer_all(paper, *places):
    """The right answers to the questions at these places, or to all."""
    for row in paper.answers.select_related("wording"):
        if not places or row.place in places:
            answer(paper, row.place, right_answer(row))
