"""What the answers tell of questions, and a wrong key: its effect shown, everybody judged anew, nobody's completion lost, taken back."""

from fractions import Fraction

import pytest

from stepladder.core.quizzes import Verdict
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.learning.models import Completion, StepDone
from stepladder.quizzes.actions.banks import word_question
from stepladder.quizzes.actions.correcting import correct_key, effect_of
from stepladder.quizzes.actions.papers import begin_paper
from stepladder.quizzes.errors import QuizError
from stepladder.quizzes.models import Answer, Paper, Question
from stepladder.quizzes.told import told_of
from tests import factories as f
from tests.quizzes.asked import a_bank, a_paper, a_released, answer, hand_in

pytestmark = pytest.mark.django_db

# The last one is keyed the wrong way round.
TEXT = "\n\n".join([*(f"Text. Question {n}?\nright: r{n}" for n in range(3)), "True. Cold is warm."])
PEOPLE = {"Ada Brandt": "rrrf", "Jun Pellam": "rrwf", "Ida Lund": "rwwt", "Tom Reik": "wwwt"}


def a_sitting(version, name, said):
    """Somebody's paper: right or wrong texts, then true or false."""
    paper = a_paper(version, name)
    for place, one in enumerate(said[:3], 1):
        answer(paper, place, f"r{place - 1}" if one == "r" else "none")
    answer(paper, 4, said[3] == "t")
    return hand_in(paper)


@pytest.fixture
def sat():
    version = a_released(bank=a_bank(TEXT), pass_mark="75")
    return version, {name: a_sitting(version, name, said) for name, said in PEOPLE.items()}


def corrected(by, raw=None):
    question = Question.objects.select_related("newest", "bank__binder").get(kind="true_false")
    old = question.newest
    raw = raw or {**old.data, "is_true": False}
    about = {"topic": "", "difficulty": "", "skill": ""}
    word_question(question=question, raw=raw, by=by, **about)
    return old, Question.objects.get(pk=question.pk).newest


def test_an_item_that_misleads_stands_first_with_what_to_do(sat, client):
    version, _ = sat
    told = told_of(version.module)
    assert (told.count, told.is_provisional, told.alpha is not None) == (4, True, True)
    first = told.lines[0]
    assert (first.wording.data["text"], first.verdict, first.facility) == ("Cold is warm.", Verdict.MISLEADS, 50)
    assert [(choice.text, choice.count) for choice in first.choices] == [("true", 2), ("false", 2)]
    client.force_login(f.an_account("administrator"))
    page = client.get(f"/library/quizzes/{version.module.public_id}/answers/").content.decode()
    for words in ("misleads", "look whether its key is right", "Provisional"):
        assert words in page


def test_only_the_first_attempt_of_each_is_looked_at(sat):
    version, papers = sat
    second = begin_paper(attempt=papers["Tom Reik"].attempt, by=f.BY)
    hand_in(second)
    assert told_of(version.module).count == 4
    assert told_of(version.module, version).count == 4


def test_a_wrong_key_is_corrected_everybody_judged_anew_and_nobody_loses_what_they_have(
    sat, client, django_capture_on_commit_callbacks
):
    version, papers = sat
    by = f.an_account("administrator")
    # By the wrong key Ada has three of four and passed; Jun has two and did not.
    assert [papers[name].has_passed for name in PEOPLE] == [True, False, False, False]
    old, new = corrected(by)
    client.force_login(by)
    address = f"/library/quizzes/{version.module.public_id}/answers/{old.public_id}/"
    page = client.get(address).content.decode()
    assert "Jun Pellam" in page
    effect = effect_of(old, new)
    assert [paper.attempt.enrolment.person.name for paper in effect.passes] == ["Jun Pellam"]
    before = StepDone.objects.known_now().count()
    with django_capture_on_commit_callbacks(execute=True):
        client.post(address)
    scores = {one.attempt.enrolment.person.name: one.score for one in Paper.objects.all()}
    assert scores["Ada Brandt"] == 1
    assert (scores["Jun Pellam"], scores["Tom Reik"]) == (Fraction(3, 4), 0)
    assert StepDone.objects.known_now().count() == before + 1
    jun = Completion.objects.known_now().get(person__family_name="Pellam")
    assert jun.at == papers["Jun Pellam"].handed_in_at
    # Who hands in from now on is judged by the corrected key at once.
    assert a_sitting(version, "Kit Moss", "wwwf").score == Fraction(1, 4)
    with django_capture_on_commit_callbacks(execute=True):
        undoing.take_back(Entry.objects.get(verb="correct_key"), by=by)
    scores = {one.attempt.enrolment.person.name: one.score for one in Paper.objects.all()}
    assert (scores["Ada Brandt"], scores["Tom Reik"]) == (Fraction(3, 4), Fraction(1, 4))
    # Jun has completed a course by it: that is not taken away in passing.
    assert Completion.objects.known_now().filter(person__family_name="Pellam").exists()


def test_who_would_not_pass_any_more_keeps_it():
    version = a_released(bank=a_bank(TEXT), pass_mark="100")
    paper = a_sitting(version, "Ada Brandt", "rrrt")
    assert paper.has_passed
    by = f.an_account("administrator")
    old, new = corrected(by)
    effect = correct_key(wording=old, key_from=new, by=by)
    assert (effect.changed, [one.pk for one in effect.keeps]) == ([], [paper.pk])
    paper.refresh_from_db()
    assert (paper.score, Answer.objects.get(paper=paper, place=4).share) == (1, 1)
    # The figures of the question are those by its right key all the same.
    line = next(line for line in told_of(paper.attempt.module).lines if line.wording == old)
    assert line.facility == 0


def test_what_asks_something_else_by_now_judges_nobody(sat):
    by = f.an_account("administrator")
    raw = {"kind": "text", "text": "Cold is …?", "accepted": ["cold"]}
    old, new = corrected(by, raw)
    with pytest.raises(QuizError, match="has other answers"):
        correct_key(wording=old, key_from=new, by=by)
