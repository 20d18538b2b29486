"""The organisation's settings: how days are counted, and what follows when that changes."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.organisation import calendar, forget
from stepladder.accounts.switches import switches
from stepladder.assignments.models import Reason
from stepladder.journal.models import Entry
from tests import factories as f

URL = reverse("accounts:organisation")
FORM = {
    "name": "Marram Sound Ferries",
    "zone": "Europe/London",
    "first_weekday": "0",
    "first_month": "1",
    "day_order": "",
    "begins_early": "on",
    "notice_days": "14",
    "soon_days": "14",
    "allowed": [one.name for one in switches()],
}


@pytest.fixture
def admin(organisation, client, on):
    on("2026-05-14")
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def test_another_zone_moves_the_day_and_the_journal_says_from_what_to_what(admin, client, on):
    on("2026-05-14", 23)
    assert clock.today() == f.d("2026-05-14")
    page = client.post(URL, FORM | {"zone": "Pacific/Auckland", "soon_days": "21"}, follow=True).content.decode()
    assert "The organisation’s settings are saved." in page
    assert clock.today() == f.d("2026-05-15")
    entry = Entry.objects.get(verb="change_organisation")
    assert entry.data["changes"] == "zone Europe/London → Pacific/Auckland; soon days 14 → 21"
    assert "changed the organisation: zone Europe/London" in page


def test_a_zone_that_does_not_exist_is_refused_and_what_was_typed_is_kept(admin, client):
    answer = client.post(URL, FORM | {"zone": "Moon/Sea", "name": "Marram Ferries"})
    assert answer.status_code == 422
    assert 'value="Marram Ferries"' in answer.content.decode()
    assert not Entry.objects.filter(verb="change_organisation").exists()


def test_saving_what_is_there_already_writes_nothing(admin, client):
    client.post(URL, FORM)
    assert not Entry.objects.filter(verb="change_organisation").exists()


def test_another_first_month_moves_what_is_due_by_the_end_of_the_year(
    admin, client, django_capture_on_commit_callbacks
):
    f.a_person("Jun Pellam")
    f.an_assignment(f.a_course("Fire"), due_trigger="year", due_days=0)
    assert Reason.objects.get().due == f.d("2026-12-31")
    with django_capture_on_commit_callbacks(execute=True):
        client.post(URL, FORM | {"first_month": "4"})
    forget()
    assert calendar().first_month == 4
    assert Reason.objects.get().due == f.d("2027-03-31")


def test_only_administrators_change_it(organisation, client):
    client.force_login(f.an_account("auditor"))
    assert client.post(URL, FORM).status_code == 403
