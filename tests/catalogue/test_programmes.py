"""Programmes: several paths for a reach, on a page of their own."""

import pytest
from django.urls import reverse

from stepladder.courses.errors import CourseError
from stepladder.courses.models import Programme
from stepladder.courses.programmes import ProgrammeSaid, save_programme
from tests import factories as f
from tests.assignments.test_paths import a_path, assign, complete
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def year(organisation, media, on):
    """Two released paths, the first asked of Jun; and Jun's account."""
    on("2027-03-01")
    fire, lines = f.a_course("Fire"), f.a_course("Lines")
    aboard, deck = a_path("Aboard", ("Safe", 30, [fire])), a_path("On deck", ("Trusted", None, [lines]))
    jun = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=jun)
    assign(aboard, jun)
    return aboard, deck, fire, jun


def test_a_programme_is_put_together_by_numbers_and_read_by_whom_it_is_for(year, client):
    aboard, deck, fire, jun = year
    client.force_login(f.an_account("administrator"))
    sent = {
        "title": "A first year", "summary": "From the gangway on.", "binder": aboard.binder_id, "who": "reach",
        "named_in": jun.public_id, "is_shown": "on",
        f"place-{deck.public_id}": "2", f"place-{aboard.public_id}": "1",
    }  # fmt: skip
    new = reverse("courses:new_programme")
    odd = page_text(client.post(new, {**sent, f"place-{deck.public_id}": "x", "once": "a"}))
    assert "“x” is no place: number the paths 1, 2, 3." in odd
    assert "From the gangway on." in odd
    nobody = {name: value for name, value in sent.items() if name != "named_in"}
    assert "This reach is nobody yet" in page_text(client.post(new, {**nobody, "once": "b"}))
    client.post(new, {**sent, "once": "c"})
    programme = Programme.objects.get()
    assert programme.paths == [aboard.pk, deck.pk]
    assert "A first year" in page_text(client.get(reverse("courses:programmes")))
    assert 'value="2"' in page_text(client.get(reverse("courses:programme", args=[programme.public_id])))

    client.force_login(jun.account)
    assert "A first year" in page_text(client.get(reverse("catalogue:catalogue")))
    page = reverse("catalogue:programme", args=[programme.public_id])
    shown = page_text(client.get(page))
    assert "0 of 2 paths done." in shown
    assert "0 of 1 done, due 30 May 2027" in shown
    assert "for those to whom it is assigned" in shown
    complete(jun, fire, "2027-03-01")
    assert "1 of 2 paths done." in page_text(client.get(page))
    # Nobody else's.
    other = f.an_account("learner", person=f.a_person("Ada Venn"))
    client.force_login(other)
    assert client.get(page).status_code == 404
    assert "A first year" not in page_text(client.get(reverse("catalogue:catalogue")))


def test_what_is_not_released_is_not_shown_and_taking_out_leaves_the_paths(year, client):
    aboard, deck, _, _ = year
    aboard.state = "draft"
    aboard.save()
    said = ProgrammeSaid("A first year", "", [aboard, deck], None, is_shown=True)
    with pytest.raises(CourseError, match="“Aboard” is not released"):
        save_programme(programme=None, binder=aboard.binder, said=said, by=f.BY)
    with pytest.raises(CourseError, match="at least one path"):
        save_programme(
            programme=None, binder=aboard.binder, said=ProgrammeSaid("A first year", "", [], None, False), by=f.BY
        )
    made = save_programme(
        programme=None, binder=aboard.binder, said=ProgrammeSaid("A first year", "", [deck], None, True), by=f.BY
    )
    client.force_login(f.an_account("administrator"))
    client.post(reverse("courses:remove_programme", args=[made.public_id]))
    assert not Programme.objects.exists()
    deck.refresh_from_db()
