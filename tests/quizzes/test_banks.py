"""Question banks and the plans of quizzes: written, brought in, released; with everything that can be wrong."""

import io
import zipfile

import pytest
from django.core.exceptions import PermissionDenied
from django.core.files.uploadedfile import SimpleUploadedFile

from stepladder.core.quizzes import Pick, read_plan
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.library import copying
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, ModuleState
from stepladder.quizzes.actions import banks, plans
from stepladder.quizzes.errors import NotAQuestion, NotReady, QuizError, Unplanned
from stepladder.quizzes.models import Bank, Question, Quiz
from stepladder.quizzes.releasing import problems_of_quiz, release_quiz, worth_a_thought
from tests import factories as f
from tests.quizzes.asked import BY_HAND, EASY, a_bank, a_quiz, a_released

pytestmark = pytest.mark.django_db


@pytest.fixture
def author(client):
    """Signed in, and an editor of the bank's binder."""
    account = f.an_account("author", name="Author")
    bank = a_bank()
    bank.binder.co_editors.add(account)
    client.force_login(account)
    return account


def page_of(client, address, **sent):
    """What a page says, however its lines are broken."""
    answer = client.post(address, sent, follow=True) if sent else client.get(address)
    return " ".join(answer.content.decode().split())


def test_questions_are_pasted_read_first_with_their_mistakes_and_kept_in_one_act(client, author):
    bank = Bank.objects.get()
    text = "One. Which?\nright: this\nwrong: that\n\nOne. What?\nrihgt: this\n\nTrue. So it is."
    address = f"/library/banks/{bank.public_id}/text/"
    page = page_of(client, address, text=text, do="read")
    assert "Line 6: “rihgt:” is no word of this form: do you mean “right:”?" in page
    assert "Keep 2 questions" in page
    assert bank.questions.count() == 3
    page_of(client, address, text=text, do="keep", once="t1")
    page_of(client, address, text=text, do="keep", once="t1")
    assert bank.questions.count() == 5
    undoing.take_back(Entry.objects.filter(verb="add_questions").latest("number"), by=author)
    assert bank.questions.filter(removed_at=None).count() == 3


def test_a_file_is_read_into_the_field_and_what_goes_out_comes_in_again(client, author):
    bank = Bank.objects.get()
    for form, name in (("csv", "q.csv"), ("xlsx", "q.xlsx"), ("text", "q.txt")):
        out = client.get(f"/library/banks/{bank.public_id}/out/{form}/")
        body = b"".join(out.streaming_content) if out.streaming else out.content
        sent = {"file": SimpleUploadedFile(name, body), "text": "", "do": "read"}
        page = page_of(client, f"/library/banks/{bank.public_id}/text/", **sent)
        assert "3 questions can be kept" in page, (form, page[:3000])
        assert "right: the cleaning plan" in page
    broken = SimpleUploadedFile("q.xlsx", b"PK\x03\x04nothing")
    assert "error" in page_of(client, f"/library/banks/{bank.public_id}/text/", file=broken, text="")


def test_a_file_is_kept_as_it_is_where_it_is_too_much_to_be_shown(client, author, monkeypatch):
    monkeypatch.setattr("stepladder.quizzes.views.banks.MOST_SHOWN", 20)
    bank = Bank.objects.get()
    address = f"/library/banks/{bank.public_id}/text/"
    page = page_of(client, address, file=SimpleUploadedFile("q.txt", EASY.encode()), text="", do="read")
    assert "too much to be shown as text" in page
    wrong = f"{EASY}\nOne. Which?\n"
    page = page_of(client, address, file=SimpleUploadedFile("q.txt", wrong.encode()), text="", do="keep", once="t")
    assert "3 questions are in the bank. 1 mistake was left out." in page
    assert bank.questions.count() == 6


def test_items_of_qti_come_in_and_those_of_unknown_kinds_are_kept_named_and_given_out_again(client, author):
    bank = Bank.objects.get()
    address = f"/library/banks/{bank.public_id}/"
    out = client.get(f"{address}out/qti30/").content
    page = page_of(client, f"{address}text/", file=SimpleUploadedFile("q.zip", out), text="", do="read")
    assert [words in page for words in ("3 questions can be kept", "Topic: Cold chain")] == [True, True]
    odd = b'<assessmentItem identifier="h" title="Where is it?"><itemBody><hotspotInteraction/></itemBody></assessmentItem>'
    for _ in range(2):
        page = page_of(client, f"{address}text/", file=SimpleUploadedFile("odd.xml", odd), text="", do="read")
    assert "hotspotInteraction" in page
    # Kept once, shown beside the bank, and given out with the others.
    assert bank.kept_items.get().title == "Where is it?"
    assert "hotspotInteraction" in page_of(client, address)
    with zipfile.ZipFile(io.BytesIO(client.get(f"{address}out/qti21/").content)) as archive:
        assert archive.read("items/kept00001.xml") == odd
    kept = bank.kept_items.get().public_id
    assert client.get(f"/library/kept-items/{kept}/").content == odd
    client.post(f"/library/kept-items/{kept}/")
    assert not bank.kept_items.exists()
    for name, body in (("q.zip", b"PK\x03\x04no"), ("q.zip", _zipped({"a.txt": b"x"}))):
        page = page_of(client, f"{address}text/", file=SimpleUploadedFile(name, body), text="")
        assert "Export it again as QTI" in page


def _zipped(files):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, body in files.items():
            archive.writestr(name, body)
    return out.getvalue()


def test_a_question_is_written_in_fields_with_what_answers_are_worth(client, author):
    bank = Bank.objects.get()
    sent = {
        "kind": "several", "text": "What goes in?", "choice": ["Milk", "Cream", "Rice", ""], "choice_right": ["0", "1"],
        "choice_said": ["", "", "Too dry", ""], "topic": "Cold chain", "difficulty": "hard", "shuffle": "on",
    }  # fmt: skip
    preview = page_of(client, f"/library/banks/{bank.public_id}/preview/", **sent)
    assert [words in preview for words in ("one of them left out", "50 %", "Milk; Cream")] == [True] * 3
    page_of(client, f"/library/banks/{bank.public_id}/new/", **sent)
    made = Question.objects.get(kind="several")
    assert (made.topic, made.difficulty, made.newest.data["choices"][2]["feedback"]) == (
        "Cold chain",
        "hard",
        "Too dry",
    )
    # What is wrong is said beside it, and nothing that was written is lost.
    wrong = client.post(f"/library/banks/{bank.public_id}/new/", {**sent, "choice_right": []})
    assert wrong.status_code == 422
    assert "has no right answer" in wrong.content.decode()
    assert "Too dry" in wrong.content.decode()


def test_a_question_that_somebody_changed_meanwhile_is_not_overwritten():
    question = a_bank().questions.select_related("newest").first()
    by = f.an_account("administrator")
    raw = {**question.newest.data, "hint": "Look up"}
    about = {"topic": "", "difficulty": "", "skill": ""}
    banks.word_question(question=question, raw=raw, was=1, by=by, **about)
    assert question.wordings.count() == 2
    with pytest.raises(QuizError, match="changed this question in the meantime"):
        banks.word_question(question=question, raw={**raw, "hint": "Down"}, was=1, by=by, **about)
    with pytest.raises(NotAQuestion, match="asks nothing yet"):
        banks.word_question(question=question, raw={"kind": "text", "accepted": ["x"]}, by=by, **about)


def test_questions_are_taken_out_and_put_back_and_that_is_taken_back():
    bank = a_bank()
    by = f.an_account("administrator")
    banks.remove_questions(bank=bank, questions=list(bank.questions.all()), by=by)
    assert problems_of_quiz(read_plan({"sections": [{"picks": [{"bank": bank.public_id, "count": 1}]}]}))
    undoing.take_back(Entry.objects.latest("number"), by=by)
    assert bank.questions.filter(removed_at=None).count() == 3
    assert banks.put_back_questions(bank=bank, questions=list(bank.questions.all()), by=by) == 0


def test_a_bank_too_small_for_its_draws_is_named_and_not_released():
    quiz = a_quiz({"count": 2, "topic": "Cold chain"}, {"count": 2})
    with pytest.raises(NotReady, match="a draw in section 1 asks for 2 questions, and 1 is left for it"):
        release_quiz(quiz=quiz, by=f.BY)
    assert quiz.module.state == ModuleState.DRAFT


def test_what_may_be_meant_is_told_before_the_release():
    plan = read_plan(a_quiz(bank=a_bank(EASY + "\n" + BY_HAND), counts="first", pass_mark=None, minutes=1).plan)
    said = " ".join(worth_a_thought(plan))
    for words in ("wait for a marker", "only the first attempt counts", "no pass mark", "half a minute"):
        assert words in said


def test_a_plan_is_built_section_by_section():
    quiz, by = a_quiz({"count": 1}), f.an_account("administrator")
    plans.change_section(quiz=quiz, section=0, do="add", by=by)
    plans.change_section(quiz=quiz, section=1, do="set", said={"title": "By heart", "intro": "", "weight": 3}, by=by)
    key = Question.objects.first().public_id
    for _ in range(2):
        # A question is asked once, however often it is chosen.
        plans.add_picks(quiz=quiz, section=1, picks=[Pick(question=key)], by=by)
    plans.move_pick(quiz=quiz, section=1, place=0, to=0, points=5, by=by)
    plans.change_section(quiz=quiz, section=1, do="up", by=by)
    plan = read_plan(Quiz.objects.get().plan)
    assert [(one.title, one.weight, one.count, one.points) for one in plan.sections] == [
        ("By heart", 3, 1, 5),
        ("", None, 1, 1),
    ]
    plans.remove_pick(quiz=quiz, section=0, place=0, by=by)
    plans.change_section(quiz=quiz, section=1, do="remove", by=by)
    with pytest.raises(Unplanned, match="at least one section"):
        plans.change_section(quiz=quiz, section=0, do="remove", by=by)
    with pytest.raises(Unplanned, match="This section is gone"):
        plans.add_picks(quiz=quiz, section=7, picks=[], by=by)
    with pytest.raises(Unplanned, match="between 0 and 100"):
        plans.set_conditions(quiz=quiz, conditions={"pass_mark": "101"}, by=by)


def test_whoever_edits_one_binder_draws_from_no_bank_of_another():
    stranger = f.an_account("author", name="Stranger")
    own = create_binder(name="Own", owner=stranger, by=f.BY)
    quiz = plans.create_quiz(binder=own, title="Mine", by=stranger)
    with pytest.raises(Unplanned, match="in a binder that you do not edit"):
        plans.add_picks(quiz=quiz, section=0, picks=[Pick(bank=a_bank().public_id)], by=stranger)
    with pytest.raises(PermissionDenied):
        banks.add_questions(bank=Bank.objects.get(), questions=[], by=stranger)


def test_a_copy_asks_the_same():
    version = a_released({"count": 2})
    by = f.an_account("administrator")
    copying.copy_modules(modules=[version.module], to=version.module.binder, by=by)
    made = Module.objects.exclude(pk=version.module_id).get(kind="quiz")
    assert made.versions.get().quiz.plan == version.quiz.plan
    assert made.versions.get().quiz.pool.count() == version.quiz.pool.count() == 3
    assert not Quiz.objects.get(module=made).has_changes


def test_the_pages_of_a_quiz_act(client, author):
    bank = Bank.objects.get()
    page_of(client, f"/library/quizzes/new/{bank.binder.public_id}/", title="Galley quiz")
    module = Module.objects.get(kind="quiz")
    address = f"/library/quizzes/{module.public_id}/"
    page_of(client, f"{address}picks/", section=0, do="draw", bank=bank.public_id, count=2, points=1)
    page_of(client, f"{address}picks/", section=0, do="choose", chosen=[bank.questions.first().public_id])
    page = page_of(client, address)
    assert "2 drawn from “Galley”" in page
    assert "How warm may the cold store" in page
    assert "Nothing was added" in page_of(client, f"{address}picks/", section=0, do="draw", bank="x", count=2, points=1)
    said = {"pass_mark": "75", "counts": "best", "shows": "right", "when": "passed", "attempts": "3"}
    page_of(client, f"{address}conditions/", **said)
    assert read_plan(Quiz.objects.get().plan).conditions.attempts == 3
    assert "Nothing was saved" in page_of(client, f"{address}conditions/", **{**said, "pass_mark": "many"})
    assert "It becomes version 1" in page_of(client, f"{address}release/")
    page_of(client, f"{address}release/", note="The first")
    module.refresh_from_db()
    assert (module.state, module.versions.get().data["questions"]) == (ModuleState.RELEASED, 3)
    # Tried by who may change it, with what is right; as a reference of a course without.
    assert "What is right" in page_of(client, f"/learn/try/{module.public_id}/")


def test_lists_take_a_number_of_queries_that_does_not_grow(client, author, django_assert_max_num_queries):
    bank = Bank.objects.get()
    text = "\n\n".join(f"Topic: T{n % 5}\n\nText. Question {n}?\nright: {n}" for n in range(60))
    client.post(f"/library/banks/{bank.public_id}/text/", {"text": text, "do": "keep"})
    assert bank.questions.count() == 63
    with django_assert_max_num_queries(40):
        client.get(f"/library/banks/{bank.public_id}/")
