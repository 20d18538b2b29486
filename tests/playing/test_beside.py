"""What stands beside a course is open at any time; the file itself is kept only where its rights say so."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.courses import references
from stepladder.courses.errors import CourseError
from stepladder.learning.actions import enrol
from stepladder.learning.models import Attempt
from stepladder.library import actions, editing, storage
from stepladder.library.deriving import work_out
from stepladder.library.models import Module
from stepladder.library.use import is_used
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def card(organisation, media, tmp_path):
    """A module made of a real file."""
    (tmp_path / "card.md").write_text("# The card\n\nOver and out.")
    kind, material, worked = work_out(tmp_path / "card.md", "card.md")
    stored = storage.keep(material.path, material.content_type)
    return actions.create_module(
        binder=f.a_binder(), kind=kind, worked=worked, original=stored, file_name="card.md", by=f.BY
    ).module


@pytest.fixture
def place(card, client):
    """A place in a course that Ada has not begun; she is signed in."""
    person = f.a_person("Ada Venn")
    client.force_login(f.an_account("learner", person=person))
    (enrolment,) = enrol(people=[person], course=f.a_course("Radio"), origin="assigned", by=f.BY)
    return enrolment


def test_a_reference_is_open_before_during_and_after_and_counts_nothing(place, card, client):
    course = reverse("playing:course", args=[place.public_id])
    address = reverse("playing:reference", args=[place.public_id, card.public_id])
    assert client.get(address).status_code == 404
    references.add_reference(course=place.course, module=card, by=f.BY)
    assert "The card" in page_text(client.get(course))
    page = page_text(client.get(address))
    assert "Over and out." in page
    assert "Keep the file" in page
    assert not Attempt.objects.exists()
    place.closed_on, place.closed_because = clock.today(), "nobody asks for it any more"
    place.save()
    assert client.get(address).status_code == 200
    assert Module.objects.filter(is_used(), pk=card.pk).exists()
    references.drop_reference(course=place.course, module=card, by=f.BY)
    assert client.get(address).status_code == 404
    client.force_login(f.an_account("learner", name="Somebody", person=f.a_person("Somebody Else")))
    assert client.get(address).status_code == 404


def test_what_cannot_be_opened_is_not_put_beside_a_course(place, card, client):
    author = f.an_account("administrator", name="Boss")
    client.force_login(author)
    page = reverse("courses:change_references", args=[place.course.public_id])
    client.post(page, {"add": card.public_id})
    client.post(page, {"add": card.public_id})
    assert place.course.references.count() == 1
    assert "The card" in page_text(client.get(reverse("courses:course", args=[place.course.public_id])))
    assert "beside it" in page_text(client.get(reverse("library:module", args=[card.public_id])))
    client.post(page, {"drop": card.public_id})
    assert place.course.references.count() == 0
    with pytest.raises(CourseError, match="cannot be opened beside"):
        references.add_reference(course=place.course, module=f.a_module("Drill", kind="session"), by=f.BY)


def test_the_file_is_kept_only_where_the_rights_say_so(place, card, client):
    references.add_reference(course=place.course, module=card, by=f.BY)
    address = reverse("playing:reference", args=[place.public_id, card.public_id])
    link = client.get(address).context["kept"]["url"]
    kept = client.get(link)
    assert b"".join(kept.streaming_content) == b"# The card\n\nOver and out."
    assert kept.headers["Content-Disposition"] == 'attachment; filename="card.md"'
    editing.edit_module(module=card, revision=None, rights="play", by=f.BY)
    assert client.get(address).context["kept"] is None
    assert client.get(link).status_code == 404
