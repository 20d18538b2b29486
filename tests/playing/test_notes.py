"""Notes at a place of what one learns: private, in one place, found by search, and a text to keep."""

import pytest
from django.urls import reverse

from stepladder.learning.models import Enrolment
from stepladder.library.models import Passage
from stepladder.playing.models import Note
from stepladder.search import index
from tests import factories as f
from tests.playing.packages import place
from tests.reading import page_text


@pytest.fixture
def film(jun, client):
    """A film with words, in a course of the learner who is signed in: (its enrolment, the film)."""
    made = f.a_module("The first two minutes", kind="video", data={"seconds": 100.0})
    version = made.versions.get()
    Passage.objects.create(version=version, place=5, text="You smell it before you see it.")
    Passage.objects.create(version=version, place=41, text="Shut the door. Then shout.")
    return place(jun, [made]), made


def write(client, enrolment, module, text, at):
    url = reverse("playing:write_note", args=[enrolment.public_id, module.public_id])
    return client.post(url, {"text": text, "place": at})


def test_notes_stand_among_the_words_at_their_places(film, client):
    enrolment, made = film
    answer = write(client, enrolment, made, "Ask Bo about the blanket", "24.5")
    lines = [(line.where, line.text) for line in answer.context["lines"]]
    assert lines == [
        ("0:05", "You smell it before you see it."),
        ("0:24", "Ask Bo about the blanket"),
        ("0:41", "Shut the door. Then shout."),
    ]
    assert "Write something first; nothing was kept." in write(client, enrolment, made, "  ", 3).content.decode()
    assert Note.objects.count() == 1


def test_a_note_is_found_by_whoever_wrote_it_and_nobody_else(film, client):
    enrolment, made = film
    write(client, enrolment, made, "Ask Bo about the blanket", 24)
    note = Note.objects.get()
    (found,) = index.find(note.account, "blanket")
    assert (found.title, found.note) == ("The first two minutes", "0:24")
    opened = client.get(found.url)
    assert opened.url == reverse("playing:step", args=[enrolment.public_id, made.public_id]) + "?at=24"
    assert client.get(opened.url).context["at"] == 24
    other = f.an_account("administrator")
    assert index.find(other, "blanket") == []
    client.force_login(other)
    assert client.get(found.url).status_code == 404
    assert client.post(reverse("playing:change_note", args=[note.public_id]), {"text": "x"}).status_code == 404
    assert "blanket" not in page_text(client.get(reverse("playing:notes")))
    assert write(client, enrolment, made, "Mine", 1).status_code == 404


def test_all_notes_in_one_place_are_changed_dropped_and_taken_along(film, client):
    enrolment, made = film
    write(client, enrolment, made, "First line\nand a second", 24)
    write(client, enrolment, made, "Another", 3)
    page = page_text(client.get(reverse("playing:notes")))
    assert page.index("Another") < page.index("First line")
    kept = client.get(reverse("playing:notes_file"))
    assert kept.content.decode() == (
        "# My notes\n\n## The first two minutes\n\n- **0:03** Another\n- **0:24** First line\n  and a second\n"
    )
    note = Note.objects.get(text="Another")
    change = reverse("playing:change_note", args=[note.public_id])
    assert "at most 4000 letters" in page_text(client.post(change, {"text": "x" * 4001}, follow=True))
    client.post(change, {"text": "Other words"})
    note.refresh_from_db()
    assert note.text == "Other words"
    client.post(change, {"text": " "})
    assert [n.text for n in Note.objects.all()] == ["First line\nand a second"]
    assert index.find(note.account, "other words") == []


def test_where_there_is_no_course_with_it_any_more_all_notes_are_shown(film, client):
    enrolment, made = film
    write(client, enrolment, made, "Ask Bo", 24)
    Enrolment.objects.all().delete()
    assert client.get(reverse("playing:note", args=[Note.objects.get().public_id])).url == reverse("playing:notes")
