import pytest
from django.urls import reverse

from stepladder.accounts.actions import SetUpAlready, set_up
from stepladder.accounts.models import Account, Organisation
from stepladder.charts.models import Unit
from stepladder.charts.queries import charts
from stepladder.journal.queries import problems
from tests import factories as f
from tests.reading import page_text

SET_UP = reverse("accounts:set_up")
FORM = {
    "code": "c0de",
    "organisation": "Marram Sound Ferries",
    "zone": "Europe/London",
    "name": "Ines Okoro",
    "email": "ines@example.example",
}


def test_the_first_visitor_with_the_code_becomes_the_administrator(db, client, settings, tmp_path):
    settings.DATA_DIR = tmp_path
    (tmp_path / "set-up-code").write_text("c0de")
    assert client.get("/", follow=True).redirect_chain[-1][0] == SET_UP
    page = client.post(SET_UP, FORM | {"code": "wrong", "password": "a long password"})
    assert "This is not the code" in page_text(page)
    page = client.post(SET_UP, FORM | {"password": "short"})
    assert "too short" in page_text(page)
    assert 'value="Ines Okoro"' in page_text(page)
    assert client.post(SET_UP, FORM | {"password": "a long sentence of words"}).url == "/"
    assert client.get("/").url == reverse("desk:desk")
    assert (Organisation.objects.get().name, Account.objects.get().roles) == (
        "Marram Sound Ferries",
        {"administrator", "learner"},
    )
    assert not (tmp_path / "set-up-code").exists()
    assert list(problems()) == []


def test_after_the_set_up_the_first_person_can_be_hired(db, client, settings, tmp_path):
    settings.DATA_DIR = tmp_path
    (tmp_path / "set-up-code").write_text("c0de")
    client.post(SET_UP, FORM | {"password": "a long sentence of words"})
    assert [(c.name, c.is_main) for c in charts()] == [("Units", True), ("Positions", True)]
    top = Unit.objects.get()
    assert top.name == "Marram Sound Ferries"
    page = page_text(client.get(reverse("charts:chart", args=[charts()[1].pk])))
    assert "No position stands in this chart" in page
    hired = {
        "given_name": "Jun",
        "family_name": "Pellam",
        "employee_number": "1",
        "kind": "employee",
        "unit": top.pk,
        "hired_on": "2026-05-14",
    }
    assert "Jun Pellam is hired." in page_text(client.post(reverse("people:hire"), hired, follow=True))


def test_once_somebody_is_there_the_door_is_shut(organisation, client):
    f.an_account("learner")
    assert client.get(SET_UP).status_code == 404
    assert client.post(SET_UP, FORM | {"password": "a long sentence of words"}).status_code == 404


def test_a_code_in_other_letters_is_no_crash(db, client, settings, tmp_path):
    settings.DATA_DIR = tmp_path
    (tmp_path / "set-up-code").write_text("c0de")
    page = client.post(SET_UP, FORM | {"code": "сöde", "password": "a long sentence of words"})
    assert "This is not the code" in page_text(page)


def test_of_several_at_once_one_sets_it_up(organisation):
    f.an_account("administrator")
    with pytest.raises(SetUpAlready, match="was set up a moment ago"):
        set_up(**FORM, password="a long sentence of words")
    assert Account.objects.count() == 1
