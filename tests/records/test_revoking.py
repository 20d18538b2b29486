"""A completion is revoked from the record: told first, done with its reason, and taken back."""

from contextlib import closing

import pypdfium2 as pdfium
import pytest
from django.urls import reverse

from stepladder.assignments.queries import requirements
from stepladder.journal.models import Entry
from stepladder.journal.queries import as_sentence
from stepladder.journal.undoing import take_back
from stepladder.learning.actions import record_completion
from stepladder.learning.models import Completion
from stepladder.records.machine_readable import FORM
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


def test_it_is_corrected_to_another_day_with_what_that_does_told_and_keeps_its_number(done, client, on):
    address = reverse("records:correct", args=[done.public_id])
    assert address in client.get(reverse("records:record", args=[done.person.public_id])).content.decode()
    said = {"day": "1 May 2025", "own_expiry": "", "because": "A year earlier"}
    told = page_text(client.post(address, said | {"effect": "1"}))
    # Valid to 1 May 2026, and due on the 20th: it has run out after the opening.
    assert "Fire: current, until 1 May 2027 →" in told
    assert f"Certificate {done.number} is shown with the corrected days" in told
    assert status(done) == "current"
    client.post(address, said)
    known = Completion.objects.known_now().get()
    assert (known.day, known.number, known.pk != done.pk) == (f.d("2025-05-01"), done.number, True)
    assert status(done) != "current"
    assert "corrected to 2025-05-01: A year earlier" in as_sentence(Entry.objects.get(verb="correct_completion"))
    assert "It is revoked, or corrected, already." in page_text(client.get(address, follow=True))
    take_back(Entry.objects.get(verb="correct_completion"), by=f.BY)
    assert Completion.objects.known_now().get().day == f.d("2026-05-01")
    assert status(done) == "current"


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"day": "15 May 2026"}, "on a day to come"),
        ({"day": "1 May 2026"}, "That is what is recorded"),
        ({"day": "2 May 2026", "own_expiry": "1 May 2026"}, "run out before it was completed"),
    ],
)
def test_a_day_that_it_cannot_have_is_refused(done, client, said, why):
    answer = client.post(reverse("records:correct", args=[done.public_id]), {"because": "x", **said})
    assert (answer.status_code, why in page_text(answer)) == (422, True)
    assert not done.is_revoked


def test_all_certificates_come_in_one_file_and_the_record_in_one_for_programs(done, client, on):
    course = f.a_course("Lines")
    record_completion(person=done.person, course=course, edition=course.editions.get(), day=f.d("2026-05-02"), by=f.BY)
    answer = client.get(reverse("records:certificates", args=[done.person.public_id]))
    with closing(pdfium.PdfDocument(answer.content)) as document:
        assert len(document) == 2
    address = reverse("records:transcript", args=[done.person.public_id, "json"])
    record = client.get(address).json()
    assert record["form"] == FORM
    assert record["person"]["given_name"] == "Ada"
    assert [(one["course"], one["status"], one["valid_until"]) for one in record["asked"]] == [
        ("Fire", "current", "2027-05-01")
    ]
    assert [(one["what"], one["day"], one["valid_until"]) for one in record["done"]] == [
        ("Lines", "2026-05-02", None),
        ("Fire", "2026-05-01", "2027-05-01"),
    ]
    # As known before it was recorded there is nothing.
    assert client.get(address, {"known": "1 May 2026"}).json()["done"] == []
    assert client.get(reverse("records:certificates", args=[f.a_person("Bo Tarn").public_id])).status_code == 404
