"""Films and sound beside questions and their answers: chosen from the library, played by whoever is asked, not deleted under them."""

import io

import pytest
from django.urls import reverse

from stepladder.core.questions import BadQuestion, media_beside, problems_of, read_question
from stepladder.library import own_pictures, storage
from stepladder.library.models import Module, ModuleState
from stepladder.library.use import is_used
from stepladder.quizzes.actions import banks
from stepladder.quizzes.errors import NotReady, QuizError
from stepladder.quizzes.models import Question
from stepladder.quizzes.releasing import release_quiz
from tests import factories as f
from tests.library.files import a_picture
from tests.quizzes.asked import BY_HAND, a_bank, a_paper, a_quiz, a_released, answer_all, hand_in
from tests.reading import plain

pytestmark = pytest.mark.django_db


def a_film(title="Hoses", kind="video", binder=None):
    return f.a_module(title, kind=kind, binder=binder).versions.get()


def with_captions(version):
    folder = storage.derived_folder(version)
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "captions.vtt").write_text("WEBVTT\n")


def asked_with(media, *, choice=None, text="What is wrong in it?"):
    """A bank whose only question has something beside it."""
    bank = a_bank("True. Milk is cold.")
    said = {"text": "the valve", "right": True} | ({"media": choice} if choice else {})
    raw = {"kind": "one", "text": text, "media": media, "choices": [said, {"text": "the hose", "right": False}]}
    question = bank.questions.get()
    banks.word_question(
        question=question, raw=raw, topic="", difficulty="", skill="", by=f.an_account("administrator", name="A")
    )
    return bank


def test_a_name_that_is_none_is_refused_and_an_answer_may_be_sound_alone():
    for wrong in ("../x", "a b", "x" * 21, 7):
        with pytest.raises(BadQuestion, match="media"):
            read_question({"kind": "true_false", "text": "?", "media": wrong})
    heard = {"kind": "one", "text": "Which is the alarm?", "choices": [{"text": "", "media": "abc", "right": True}]}
    heard["choices"].append({"text": "", "media": "def"})
    assert problems_of(read_question(heard)) == []
    assert media_beside(heard | {"media": "abc"}) == ["abc", "def"]


def test_who_is_asked_sees_it_and_who_reads_it_again_and_nobody_deletes_it_meanwhile(client, media):
    film, sound = a_film(), a_film("Alarm", "audio")
    with_captions(film)
    bank = asked_with(film.public_id, choice=sound.public_id)
    assert set(Module.objects.filter(is_used())) >= {film.module, sound.module}
    version = a_released(bank=bank, shows="right")
    paper = a_paper(version)
    learner = paper.attempt.enrolment.person.account
    client.force_login(learner)
    address = reverse("playing:step", args=[paper.attempt.enrolment.public_id, version.module.public_id])
    page = client.get(address).content.decode()
    assert 'aria-label="Hoses"' in page
    assert 'kind="captions"' in plain(page)
    assert '<audio controls preload="metadata"' in page
    answer_all(paper)
    hand_in(paper)
    again = client.get(address).content.decode()
    assert 'aria-label="Hoses"' in again
    Module.objects.filter(pk=film.module_id).update(state=ModuleState.DELETED)
    assert "What was beside it can’t be played here." in plain(client.get(address).content.decode())


def test_a_page_of_many_questions_asks_for_their_media_once(client, media, django_assert_max_num_queries):
    bank = a_bank("\n\n".join(f"True. Milk {n} is cold." for n in range(12)))
    by = f.an_account("administrator", name="A")
    for n, question in enumerate(bank.questions.all()):
        film = a_film(f"Film {n}")
        with_captions(film)
        raw = {"kind": "true_false", "text": f"Is it {n}?", "media": film.public_id, "is_true": True}
        banks.word_question(question=question, raw=raw, topic="", difficulty="", skill="", by=by)
    paper = a_paper(a_released(bank=bank))
    client.force_login(paper.attempt.enrolment.person.account)
    address = reverse("playing:step", args=[paper.attempt.enrolment.public_id, paper.attempt.module.public_id])
    client.get(address)
    with django_assert_max_num_queries(45):
        assert client.get(address).content.decode().count("<video") == 12


def test_a_film_without_captions_or_that_is_gone_keeps_a_quiz_from_being_released():
    film = a_film()
    quiz = a_quiz(bank=asked_with(film.public_id))
    with pytest.raises(NotReady, match=r"“What is wrong in it[?]” has “Hoses” beside it, which has no captions"):
        release_quiz(quiz=quiz, by=f.an_account("administrator", name="A"))
    Module.objects.filter(pk=film.module_id).update(state=ModuleState.DELETED)
    with pytest.raises(NotReady, match="a film or sound beside it that is gone from the library"):
        release_quiz(quiz=quiz, by=f.an_account("administrator", name="A"))


def test_what_one_may_not_use_is_neither_found_nor_put_beside_a_question_nor_played_by_trying(client):
    hidden = a_film("Theirs", binder=f.a_binder("Hidden", is_shared=False))
    bank = a_bank()
    author = f.an_account("author", name="Author")
    bank.binder.co_editors.add(author)
    client.force_login(author)
    mine = a_film("Mine", binder=bank.binder)
    found = client.get(reverse("quizzes:find_media", args=[bank.public_id]), {"q": ""}).content.decode()
    assert mine.public_id in found
    assert hidden.public_id not in found
    sent = {"kind": "true_false", "text": "Is it?", "is_true": "yes", "media": hidden.public_id}
    tried = client.post(reverse("quizzes:preview", args=[bank.public_id]), sent).content.decode()
    assert "Theirs" not in tried
    assert "can’t be played here" in plain(tried)
    address = reverse("quizzes:new_question", args=[bank.public_id])
    refused = client.post(address, sent)
    assert refused.status_code == 422
    assert "is not yours to use, or is gone" in refused.content.decode()
    assert "Is it?" in refused.content.decode()
    assert client.post(address, sent | {"media": mine.public_id}).status_code == 302
    made = Question.objects.latest("pk")
    assert made.newest.data["media"] == mine.public_id
    page = client.get(reverse("quizzes:question", args=[made.public_id])).content.decode()
    assert "data-title>Mine</span>" in page
    document = a_film("A list", "document", binder=bank.binder)
    for other in (hidden, document):
        raw = made.newest.data | {"media": other.public_id}
        with pytest.raises(QuizError):
            banks.word_question(question=made, raw=raw, topic="", difficulty="", skill="", by=author)


def test_what_was_beside_a_question_before_may_stay_though_its_author_may_not_use_it():
    film = a_film("Theirs", binder=f.a_binder("Hidden", is_shared=False))
    bank = asked_with(film.public_id)
    author = f.an_account("author", name="Author")
    bank.binder.co_editors.add(author)
    question = bank.questions.get()
    raw = question.newest.data | {"text": "And now?"}
    banks.word_question(question=question, raw=raw, topic="", difficulty="", skill="", by=author)
    assert question.newest.media.get().version == film


def test_whoever_marks_sees_what_was_beside_the_question(client, media):
    film = a_film()
    with_captions(film)
    bank = a_bank(BY_HAND)
    by = f.an_account("administrator", name="A")
    digest, _, _ = own_pictures.keep_whole(io.BytesIO(a_picture()), "dot.png", 400)
    beside = {"media": film.public_id, "picture": {"file": digest, "shows": "A red dot"}}
    question = bank.questions.get()
    raw = question.newest.data | beside
    banks.word_question(question=question, raw=raw, topic="", difficulty="", skill="", by=by)
    paper = a_paper(a_released(bank=bank))
    answer_all(paper)
    hand_in(paper)
    client.force_login(by)
    page = client.get(reverse("quizzes:mark", args=[paper.public_id])).content.decode()
    assert 'aria-label="Hoses"' in page
    assert 'alt="A red dot"' in page
