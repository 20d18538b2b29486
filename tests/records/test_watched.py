"""What of a module is seen: the heat, what stands out, and whose strips one may see. Rule: 8."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import Passage
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def film(organisation, on):
    """A film that six people saw: three of them jumped over its middle, and one left at once."""
    on("2026-05-14")
    made = f.a_module("The first two minutes", kind="video", data={"seconds": 48.0})
    version = made.versions.get()
    Passage.objects.create(version=version, place=20, text="This company was founded when the first pier was built.")
    course = f.a_course("Fire", [made])
    plays = [[[0, 48]]] * 3 + [[[0, 21], [27, 48]]] * 3 + [[[0, 3]]]
    for number, seen in enumerate(plays):
        person = f.a_person(f"Person{number} Pellam", unit="Dunlin" if number % 2 else "Knot")
        enrolment = Enrolment.objects.create(
            person=person, course=course, edition=course.editions.get(), opened_on=clock.today()
        )
        Attempt.objects.create(
            enrolment=enrolment,
            module=made,
            version=version,
            begun_at=clock.now(),
            last_at=clock.now(),
            data={"plays": seen, "played": seen},
        )
    return made


def test_what_stands_out_is_said_with_its_place_and_the_words_there(film, client):
    client.force_login(f.an_account("administrator"))
    url = reverse("records:watched", args=[film.public_id])
    page = client.get(url, {"at": "22.3"})
    text = page_text(page)
    assert "3 of 6 go past 0:21 to 0:27 without seeing it" in text
    assert "7</b> people opened it" in text
    spot = page.context["spot"]
    assert (spot.where, spot.people, spot.skipped) == ("0:22 to 0:23", 3, 3)
    assert spot.words == ["This company was founded when the first pier was built."]
    assert len(page.context["page"].rows) == 7
    assert client.get(url, {"at": "nonsense", "v": "99"}).status_code == 200


def test_it_is_asked_of_a_unit_too(film, client):
    client.force_login(f.an_account("administrator"))
    dunlin = f.a_unit("Dunlin")
    page = client.get(reverse("records:watched", args=[film.public_id]), {"unit": dunlin.public_id})
    assert page.context["heat"].watched.people == 3


def test_an_author_sees_the_heat_and_nobodys_strip(film, client):
    client.force_login(f.an_account("author"))
    page = client.get(reverse("records:watched", args=[film.public_id]))
    assert page.context["heat"].watched.people == 7
    assert not page.context["page"].rows
    assert "Pellam" not in page_text(page)


def test_an_auditor_has_no_way_to_it_and_a_package_has_no_length(film, client):
    client.force_login(f.an_account("auditor"))
    assert client.get(reverse("records:watched", args=[film.public_id])).status_code == 403
    client.force_login(f.an_account("administrator"))
    package = f.a_module("Fire", kind="package", data={"scos": [], "standard": "scorm12"})
    assert client.get(reverse("records:watched", args=[package.public_id])).status_code == 404
    assert "What of it is seen" not in page_text(client.get(reverse("library:module", args=[package.public_id])))


def test_the_page_costs_the_same_for_many_as_for_few(film, client, django_assert_max_num_queries):
    client.force_login(f.an_account("administrator"))
    with django_assert_max_num_queries(30):
        client.get(reverse("records:watched", args=[film.public_id]))
