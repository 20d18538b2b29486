"""A completion is revoked from the record: told first, done with its reason, and taken back."""

import pytest
from django.urls import reverse

from stepladder.assignments.queries import requirements
from stepladder.journal.models import Entry
from stepladder.journal.undoing import take_back
from stepladder.learning.actions import record_completion
from stepladder.learning.models import Completion
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def done(organisation, on, client):
    on("2026-05-14")
    ada = f.a_person("Ada Venn")
    course = f.a_course("Fire", months=12)
    f.an_assignment(course, due_trigger="", due_day=f.d("2026-05-20"), notice_days=0)
    client.force_login(f.an_account("administrator", name="Ines Okoro"))
    return record_completion(person=ada, course=course, edition=course.editions.get(), day=f.d("2026-05-01"), by=f.BY)


def status(completion):
    found = requirements(people=[completion.person_id], day=f.d("2026-05-14"))
    return str(found[0].requirement.status)


def test_its_effect_is_told_and_nothing_is_kept_of_the_telling(done, client):
    address = reverse("records:revoke", args=[done.public_id])
    assert address in client.get(reverse("records:record", args=[done.person.public_id])).content.decode()
    told = page_text(client.post(address, {"because": "Another Ada", "effect": "1"}))
    assert "Fire: current, until 1 May 2027 → due soon, due 20 May 2026" in told
    assert f"Certificate {done.number} is shown as revoked" in told
    assert "these are given: Why" in page_text(client.post(address, {"effect": "1"}))
    assert status(done) == "current"


def test_it_is_revoked_checked_as_revoked_and_taken_back_with_its_number(done, client):
    address = reverse("records:revoke", args=[done.public_id])
    client.post(address, {"because": "Another Ada"})
    assert status(done) == "due soon"
    check = reverse("records:check", args=[done.number])
    assert client.get(check).context["revoked"]
    page = page_text(client.get(address, follow=True))
    assert "It is revoked already." in page
    assert f"certificates/{done.public_id}" not in page
    entry = Entry.objects.get(verb="revoke_completion")
    assert "Another Ada" in str(entry.data)
    take_back(entry, by=f.BY)
    assert status(done) == "current"
    assert Completion.objects.known_now().get().number == done.number
    assert not client.get(check).context["revoked"]


def test_only_who_may_change_records_revokes(done, client):
    for role in ("auditor", "instructor", "author"):
        client.force_login(f.an_account(role))
        assert client.post(reverse("records:revoke", args=[done.public_id]), {"because": "x"}).status_code in (403, 404)
    assert status(done) == "current"
