"""Taking a quiz: what is drawn, answers saved one by one, time, attempts, what counts, and what it makes of the step."""

import json
from datetime import timedelta
from fractions import Fraction
from random import Random

import pytest
from django.db import transaction

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.core.questions import read_question
from stepladder.core.quizzes import Shows
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning.actions import begin_step, close_enrolments
from stepladder.learning.errors import PlaceClosed
from stepladder.learning.models import Attempt, Completion, Enrolment, HandIn, Mark, StepDone
from stepladder.playing.reading import Unreadable
from stepladder.queue.actions import at_once
from stepladder.quizzes.actions.banks import remove_questions, word_question
from stepladder.quizzes.actions.papers import begin_paper, hand_in_paper
from stepladder.quizzes.errors import AnsweredElsewhere, HandedIn, NoMoreAttempts, NothingToDraw, TimeIsUp
from stepladder.quizzes.models import Allowed, Answer, Paper, Question
from stepladder.quizzes.queries import reviewed, standing_of
from stepladder.quizzes.releasing import release_quiz
from stepladder.quizzes.settling_tasks import settle_paper
from stepladder.quizzes.tasks import enqueue_late, hand_in_late
from tests import factories as f
from tests.quizzes.asked import (
    a_bank,
    a_paper,
    a_quiz,
    a_released,
    an_attempt,
    answer,
    answer_all,
    hand_in,
    right_answer,
)

pytestmark = pytest.mark.django_db


def handed_in(paper):
    return hand_in(paper)


def again(paper, seed=2):
    return begin_paper(attempt=Attempt.objects.latest("pk"), by=f.BY, drawing=Random(seed))


def test_a_quiz_that_is_passed_makes_the_step_done_as_of_when_it_was_handed_in():
    paper = a_paper(a_released(pass_mark="60"))
    answer_all(paper, 1, 2)
    answer(paper, 3, "  the CLEANING   plan ")
    done = handed_in(paper)
    assert (done.score, done.has_passed) == (1, True)
    step, fact = StepDone.objects.get(), HandIn.objects.get()
    assert (step.at, step.score, Completion.objects.get().score) == (done.handed_in_at, 1, 1)
    # The fact has what was asked and answered, so that it stands alone.
    assert [one["chosen"] for one in fact.data["answers"]][1:] == [True, "  the CLEANING   plan "]
    assert list(problems()) == []


def test_what_was_left_empty_is_worth_nothing_and_below_the_mark_is_not_passed():
    paper = a_paper(a_released(pass_mark="67"))
    answer_all(paper, 1, 2)
    done = handed_in(paper)
    # Two thirds are below 67 %, though they are shown as 66 %.
    assert (done.score, done.has_passed, StepDone.objects.exists()) == (Fraction(2, 3), False, False)
    assert Attempt.objects.get().status == "failed"


def test_draws_give_everybody_their_own_and_never_one_twice():
    text = "\n\n".join(f"Text. Question {n}?\nright: {n}" for n in range(30))
    version = a_released({"count": 4}, {"count": 3, "points": 2}, bank=a_bank(text))
    papers = [a_paper(version, name, seed=seed) for seed, name in enumerate(("Jun Pellam", "Ada Brandt"))]
    asked = [list(paper.answers.values_list("wording", flat=True)) for paper in papers]
    assert [len(set(one)) for one in asked] == [7, 7]
    assert set(asked[0]) != set(asked[1])
    assert [row.points for row in papers[0].answers.all()] == [1] * 4 + [2] * 3


def test_numbers_are_drawn_for_each_paper_and_judged_by_what_was_drawn():
    text = "Number. Water for {n} portions?\ndraw: n from 10 to 90 by 10\nright: n * 1.5\ngive or take: 0.5"
    paper = a_paper(a_released(bank=a_bank(text)))
    row = paper.answers.get()
    answer(paper, 1, str(float(Fraction(row.drawn["n"]) * Fraction(3, 2)) + 0.5))
    assert handed_in(paper).score == 1


def test_an_answer_is_kept_at_once_and_told_twice_counts_once():
    paper = a_paper(a_released())
    answer(paper, 1, 0, name="one", seconds=12)
    answer(paper, 1, 1, name="one", seconds=12)
    assert (paper.answers.get(place=1).given, Attempt.objects.get().seconds) == (0, 12)
    answer(paper, 2, None, is_set_aside=True)
    assert Answer.objects.get(place=2).is_set_aside
    with pytest.raises(Unreadable, match="one of the places shown"):
        answer(paper, 1, 9)
    with pytest.raises(Unreadable, match="no such question"):
        answer(paper, 99, 0, revision=0)


def test_two_tabs_do_not_overwrite_each_other_unseen_and_one_may_be_behind_itself():
    paper = a_paper(a_released())
    answer(paper, 1, 0, tab="a", revision=0)
    # Without a line a tab tells several changes, each of what it saw last.
    answer(paper, 1, 1, tab="a", revision=0)
    with pytest.raises(AnsweredElsewhere):
        answer(paper, 1, 0, tab="b", revision=0)
    answer(paper, 1, 0, tab="b", revision=2)
    assert paper.answers.get(place=1).given == 0


def test_the_page_shows_what_the_other_tab_answered(client):
    paper = a_paper(a_released())
    answer(paper, 3, "from the other one", tab="b")
    client.force_login(Account.objects.get(person__isnull=False))
    said = {"question": 3, "given": "mine", "aside": False, "revision": 0, "tab": "a"}
    told = client.post(
        f"/learn/reports/{paper.attempt.public_id}/", json.dumps({"answer": said}), content_type="application/json"
    )
    assert "another tab" in told.json()["question"]["elsewhere"]
    assert "from the other one" in told.json()["question"]["html"]


def test_after_the_time_and_its_grace_nothing_is_taken_and_what_there_is_counts():
    paper = a_paper(a_released(minutes=20, pass_mark="30"))
    answer_all(paper, 1)
    late = paper.ends_at + timedelta(seconds=30)
    with clock.pinned(late):
        answer(paper, 2, True)
    with clock.pinned(late + timedelta(seconds=1)):
        with pytest.raises(TimeIsUp):
            answer(paper, 3, "the cleaning plan")
        with transaction.atomic(), at_once():
            enqueue_late()
    paper.refresh_from_db()
    assert (paper.handed_in_at, paper.ran_out, paper.score) == (paper.ends_at, True, Fraction(2, 3))
    assert StepDone.objects.get().at == paper.ends_at
    with pytest.raises(TimeIsUp):
        answer(paper, 3, "the cleaning plan")


def test_a_reload_shows_the_same_paper_with_less_time(client):
    paper = a_paper(a_released(minutes=20))
    answer(paper, 3, "half an ans")
    client.force_login(Account.objects.get(person__isnull=False))
    address = f"/learn/{paper.attempt.enrolment.public_id}/{paper.attempt.module.public_id}/"
    with clock.pinned(paper.begun_at + timedelta(minutes=5)):
        page = client.get(address).content.decode()
    assert 'data-left="900"' in page
    assert "half an ans" in page
    # Whoever opens it after its time finds it handed in.
    with clock.pinned(paper.begun_at + timedelta(minutes=21)):
        assert "when the time" in client.get(address).content.decode()


def test_right_answers_are_in_no_page_before_they_may_be_shown(client):
    bank = a_bank(
        "Text. Which word?\nright: shibboleth\nif right: Well remembered\n\nOne. Which?\nright: this\nwrong: that | No, not that"
    )
    paper = a_paper(a_released(bank=bank, shows="right", when="last", attempts=2, pass_mark="100"))
    client.force_login(Account.objects.get(person__isnull=False))
    address = f"/learn/{paper.attempt.enrolment.public_id}/{paper.attempt.module.public_id}/"

    def told():
        page = client.get(address).content.decode()
        return [words in page for words in ("shibboleth", "Well remembered", "No, not that", "is_right", "show_right")]

    assert told() == [False] * 5
    answer(paper, 2, 1 - right_answer(paper.answers.get(place=2)))
    handed_in(paper)
    assert told() == [False] * 5
    paper = again(paper)
    assert told() == [False] * 5
    handed_in(paper)
    assert told()[0]


def test_attempts_pause_and_what_somebody_is_allowed_beyond():
    paper = a_paper(a_released(attempts=2, pause_hours=24, minutes=20, pass_mark="100"))
    handed_in(paper)
    with pytest.raises(NoMoreAttempts, match="You can begin again from"):
        again(paper)
    with clock.pinned(clock.now() + timedelta(hours=25)):
        second = handed_in(again(paper))
    with clock.pinned(clock.now() + timedelta(days=9)):
        with pytest.raises(NoMoreAttempts, match="used all your attempts"):
            again(second)
        person = paper.attempt.enrolment.person
        Allowed.objects.create(
            person=person, extra_time=50, extra_attempts=1, because="Reads slowly", by_name="Ines", at=clock.now()
        )
        third = again(second)
        assert (third.ends_at - third.begun_at, third.extra_time) == (timedelta(minutes=30), 50)
        assert standing_of(third.attempt).time == "30 min"


@pytest.mark.parametrize(("counts", "scores"), [("best", [1, 1]), ("last", [1, Fraction(1, 3)])])
def test_which_attempt_counts_and_passed_stays_passed(counts, scores):
    course = f.a_module("Another step")
    version = a_released(counts=counts, pass_mark="60")
    person = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=person)
    f.an_assignment(f.a_course("Two steps", [version.module, course]))
    enrolment = Enrolment.objects.get()
    attempt = begin_step(enrolment=enrolment, step=enrolment.edition.steps.get(module=version.module), by=f.BY)
    found = []
    paper = begin_paper(attempt=attempt, by=f.BY, drawing=Random(1))
    for places in ((), (1,)):
        answer_all(paper, *places)
        handed_in(paper)
        found.append(StepDone.objects.known_now().get().score)
        paper = again(paper)
    assert found == scores


def test_only_the_first_counts_where_it_says_so():
    paper = a_paper(a_released(counts="first", pass_mark="60"))
    handed_in(paper)
    second = again(paper)
    answer_all(second)
    assert handed_in(second).has_passed
    assert not StepDone.objects.exists()


def test_handed_in_twice_is_as_once_and_takes_nothing_more():
    paper = a_paper(a_released())
    handed_in(paper)
    handed_in(paper)
    assert (HandIn.objects.count(), Mark.objects.count()) == (1, 1)
    with pytest.raises(HandedIn):
        answer(paper, 1, 0)
    # Begun twice, as by two tabs, it is the same paper.
    first = again(paper)
    assert begin_paper(attempt=first.attempt, by=f.BY) == first


def test_whoever_is_quicker_than_the_queue_loses_nothing():
    first = a_paper(a_released(pass_mark="60"))
    answer(first, 1, 0)
    person = first.attempt.enrolment.person
    hand_in_paper(paper=first, by=person.account)
    # Handed in, and its score is told whoever looks; to keep it, the fact and what follows are the worker's, who has not come to it.
    standing = standing_of(first.attempt)
    assert (standing.last.score, standing.has_passed) == (0, False)
    lines = reviewed(standing.last, Shows.RIGHT, person.account.pk)
    assert [line.earned_words for line in lines][1:] == ["0", "0"]
    first.refresh_from_db()
    assert (first.handed_in_at is not None, first.score, HandIn.objects.exists()) == (True, None, False)
    second = begin_paper(attempt=first.attempt, by=person.account)
    assert (second.attempt.number, HandIn.objects.get().attempt) == (2, first.attempt)
    assert Entry.objects.get(verb="hand_in").actor_name == person.account.name
    # The worker comes after all, and once more: it is as once.
    for _ in range(2):
        settle_paper.call(paper=first.pk, by=[person.account.public_id, person.account.name])
    assert (HandIn.objects.count(), Mark.objects.known_now().count()) == (1, 1)
    assert list(problems()) == []


def test_a_quiz_that_changes_while_people_are_in_it_leaves_their_paper_alone():
    bank = a_bank()
    quiz = a_quiz(bank=bank, pass_mark="100")
    by = f.an_account("administrator")
    paper = a_paper(release_quiz(quiz=quiz, by=by))
    question = Question.objects.select_related("newest").get(kind="text")
    raw = {**question.newest.data, "accepted": ["something else"]}
    word_question(question=question, raw=raw, topic="", difficulty="", skill="", by=by)
    remove_questions(bank=bank, questions=[Question.objects.get(kind="one")], by=by)
    answer_all(paper)
    assert handed_in(paper).score == 1


def test_a_pool_that_has_run_dry_is_said_and_a_closed_place_takes_nothing():
    version = a_released()
    attempt = an_attempt(version)
    version.quiz.pool.all().delete()
    with pytest.raises(NothingToDraw):
        begin_paper(attempt=attempt, by=f.BY)
    close_enrolments(enrolments=[attempt.enrolment], because="not needed", by=f.BY)
    attempt.enrolment.refresh_from_db()
    with pytest.raises(PlaceClosed):
        begin_paper(attempt=attempt, by=f.BY)


def test_a_place_that_is_closed_in_the_moment_of_handing_in_comes_to_nothing_and_holds_up_nobody():
    paper = a_paper(a_released())
    opened = Paper.objects.select_related("attempt__enrolment").get(pk=paper.pk)
    close_enrolments(enrolments=[paper.attempt.enrolment], because="not needed", by=f.BY)
    with pytest.raises(PlaceClosed):
        hand_in(Paper.objects.get(pk=paper.pk))
    # As it stood when the page was asked for, it was open.
    assert hand_in(opened).handed_in_at is not None
    assert (HandIn.objects.count(), StepDone.objects.count()) == (0, 0)


def test_a_paper_in_a_place_that_was_closed_is_put_away_when_its_time_is_up():
    paper = a_paper(a_released(minutes=5))
    close_enrolments(enrolments=[paper.attempt.enrolment], because="not needed", by=f.BY)
    with clock.pinned(paper.ends_at + timedelta(minutes=2)):
        hand_in_late.call()
        assert not Paper.objects.filter(handed_in_at=None).exists()
    assert not StepDone.objects.exists()


def test_nobody_answers_or_looks_at_anothers_paper(client):
    paper = a_paper(a_released())
    client.force_login(f.an_account("learner", name="Somebody Else"))
    for address in ("begin", "hand-in", "files/1"):
        assert client.post(f"/learn/quiz/{paper.attempt.public_id}/{address}/").status_code == 404
    assert read_question(paper.answers.first().wording.data).text.startswith("How warm")
