"""Training from outside and from before: recorded, asked for with its paper, looked at, taken back."""

import io

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse
from PIL import Image

from stepladder.assignments.queries import requirements
from stepladder.journal.models import Entry
from stepladder.journal.undoing import obstacles, take_back
from stepladder.learning.actions import revoke_completion
from stepladder.learning.models import Completion
from stepladder.notices.models import Notice
from stepladder.outside.models import OutsideTraining
from tests import factories as f
from tests.reading import page_text

ASK = reverse("outside:ask")


@pytest.fixture
def world(organisation, media, on, client):
    """Fire is asked of Ada, who can sign in, by 20 May. Today is 14 May 2026; an administrator is signed in."""
    on("2026-05-14")
    ada = f.a_person("Ada Venn", email="ada@example.example")
    f.an_account("learner", name="Ada Venn", person=ada)
    course = f.a_course("Fire", months=12)
    f.an_assignment(course, due_trigger="", due_day=f.d("2026-05-20"), notice_days=0)
    client.force_login(f.an_account("administrator", name="Ines Okoro"))
    return ada, course


def paper(name="paper.png", body=b""):
    if not body:
        out = io.BytesIO()
        Image.new("RGB", (20, 20), "white").save(out, "PNG")
        body = out.getvalue()
    return SimpleUploadedFile(name, body)


def status(person):
    row = requirements(people=[person.pk], day=f.d("2026-05-14"))[0].requirement
    return str(row.status), row.valid_until


def record_of(person):
    return reverse("records:record", args=[person.public_id])


def test_it_is_recorded_with_its_paper_counts_at_once_and_is_taken_back(world, client):
    ada, course = world
    address = reverse("outside:record", args=[ada.public_id])
    assert address in client.get(record_of(ada)).content.decode()
    said = {
        "course": course.public_id,
        "day": "1 Mar 2026",
        "own_expiry": "31 Dec 2026",
        "provider": "Holm Fire School",
        "hours": "7.5",
        "document": paper(),
    }
    page = page_text(client.post(address, said, follow=True))
    assert "“Fire” stands in the record of Ada Venn." in page
    assert "Holm Fire School" in page
    assert "as this course, until 31 Dec 2026" in page
    assert status(ada) == ("current", f.d("2026-12-31"))
    made = OutsideTraining.objects.get()
    assert (made.minutes, made.completion.own_expiry) == (450, f.d("2026-12-31"))
    shown = client.get(reverse("outside:document", args=[made.public_id]))
    assert (shown["Content-Type"], "sandbox" in shown["Content-Security-Policy"]) == ("image/png", True)
    assert b"".join(shown.streaming_content).startswith(b"\x89PNG")
    take_back(Entry.objects.get(verb="record_outside"), by=f.BY)
    assert status(ada)[0] == "due soon"
    assert "Holm Fire School" not in page_text(client.get(record_of(ada)))
    assert Completion.objects.get().is_revoked


def test_what_counts_as_no_course_stands_in_the_history_and_the_transcript_alone(world, client):
    ada, _ = world
    said = {"title": "First aid at sea", "day": "1 Mar 2020", "provider": "The Red Pier"}
    client.post(reverse("outside:record", args=[ada.public_id]), said)
    assert not Completion.objects.exists()
    assert "as no course of ours" in page_text(client.get(record_of(ada)))
    record = client.get(reverse("records:transcript", args=[ada.public_id, "json"])).json()
    assert [(one["what"], one["how"], one["day"]) for one in record["done"]] == [
        ("First aid at sea", "from The Red Pier", "2020-03-01")
    ]
    # As known before it was written down it is not there, nor on a day before it.
    for clock in ({"known": "13 May 2026"}, {"day": "1 Feb 2020"}):
        assert "First aid at sea" not in page_text(client.get(record_of(ada), clock))


def test_a_learner_asks_and_whoever_keeps_records_confirms(world, client):
    ada, course = world
    ines = client.session["_auth_user_id"]
    client.force_login(ada.account)
    assert ASK in client.get(reverse("records:own")).content.decode()
    client.post(ASK, {"course": course.public_id, "day": "1 Mar 2026", "document": paper()})
    asked = OutsideTraining.objects.get()
    assert (asked.state, status(ada)[0]) == ("asked", "due soon")
    sheet = reverse("outside:one", args=[asked.public_id])
    assert client.post(sheet, {"act": "confirm"}).status_code == 403
    assert b"".join(client.get(reverse("outside:document", args=[asked.public_id])).streaming_content)
    client.force_login(f.Account.objects.get(pk=ines))
    assert "training from outside waits to be confirmed" in page_text(client.get(reverse("desk:desk")))
    assert "To confirm: 1" in page_text(client.get(record_of(ada)))
    assert sheet in client.get(reverse("outside:waiting")).content.decode()
    client.post(sheet, {"act": "confirm", "words": "Well done"})
    assert status(ada) == ("current", f.d("2027-03-01"))
    told = Notice.objects.get(kind="outside decided")
    assert (told.subject, "Well done" in told.text) == ("“Fire” is confirmed", True)
    # Taken back, it waits again.
    take_back(Entry.objects.get(verb="confirm_outside"), by=f.BY)
    asked.refresh_from_db()
    assert (asked.state, status(ada)[0]) == ("asked", "due soon")
    assert client.post(sheet, {"act": "refuse"}).status_code == 422
    client.post(sheet, {"act": "refuse", "words": "The name on it is another"})
    client.force_login(ada.account)
    assert "not confirmed: The name on it is another" in page_text(client.get(reverse("records:own")))


def test_two_who_decide_at_once_decide_once(world, client):
    ada, course = world
    client.force_login(ada.account)
    client.post(ASK, {"course": course.public_id, "day": "1 Mar 2026"})
    asked = OutsideTraining.objects.get()
    client.post(reverse("outside:withdraw", args=[asked.public_id]), {"once": "a"})
    client.force_login(f.an_account("administrator"))
    late = client.post(reverse("outside:one", args=[asked.public_id]), {"act": "confirm"})
    assert (late.status_code, "does not wait any more: it is withdrawn" in page_text(late)) == (422, True)
    assert not Completion.objects.exists()


def test_nobody_confirms_their_own(world, client):
    _, course = world
    own = f.a_person("Ines Okoro")
    account = f.an_account("administrator", "learner", name="Ines Okoro", person=own)
    client.force_login(account)
    client.post(ASK, {"course": course.public_id, "day": "1 Mar 2026"})
    asked = OutsideTraining.objects.get()
    answer = client.post(reverse("outside:one", args=[asked.public_id]), {"act": "confirm"})
    assert (answer.status_code, "Nobody confirms their own" in page_text(answer)) == (422, True)
    assert "waits to be confirmed" not in page_text(client.get(reverse("desk:desk")))


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"title": ""}, "Choose the course that it counts as"),
        ({"day": "15 May 2026"}, "on a day to come"),
        ({"own_expiry": "28 Feb 2026"}, "run out before it was done"),
        ({"hours": "-1"}, "greater than or equal to 0"),
        ({"course": "gone"}, "can no longer be chosen"),
        ({"document": SimpleUploadedFile("virus.html", b"<script>1</script>")}, "is no PDF and no picture"),
        ({"document": SimpleUploadedFile("empty.pdf", b"")}, "empty"),
    ],
)
def test_what_cannot_be_recorded_says_why_and_keeps_what_was_written(world, client, said, why):
    ada, _ = world
    whole = {"title": "First aid", "day": "1 Mar 2026", "provider": "The Red Pier", **said}
    answer = client.post(reverse("outside:record", args=[ada.public_id]), whole)
    assert (answer.status_code, why in page_text(answer)) == (422, True)
    assert 'value="The Red Pier"' in answer.content.decode()
    assert not OutsideTraining.objects.exists()


def test_the_same_is_not_recorded_twice_and_what_was_revoked_since_is_not_taken_back(world, client):
    ada, course = world
    address = reverse("outside:record", args=[ada.public_id])
    said = {"course": course.public_id, "day": "1 Mar 2026"}
    client.post(address, said)
    again = page_text(client.post(address, said))
    assert "“Fire” is recorded as completed on 1 Mar 2026 already." in again
    revoke_completion(completion=Completion.objects.get(), because="Another Ada", by=f.BY)
    assert obstacles(Entry.objects.get(verb="record_outside")) == ["Its completion was revoked, or corrected, since."]
    assert "revoked, or corrected, since" in page_text(client.get(record_of(ada)))


def test_only_who_keeps_records_writes_and_only_who_reads_them_sees(world, client):
    ada, _ = world
    client.post(
        reverse("outside:record", args=[ada.public_id]),
        {"title": "First aid", "day": "1 Mar 2026", "document": paper()},
    )
    made = OutsideTraining.objects.get()
    other = f.a_person("Bo Tarn")
    client.force_login(f.an_account("learner", person=other))
    for name in ("one", "document"):
        assert client.get(reverse(f"outside:{name}", args=[made.public_id])).status_code == 404
    assert client.get(reverse("outside:record", args=[ada.public_id])).status_code == 403
    assert client.post(reverse("outside:withdraw", args=[made.public_id])).status_code == 404
    client.force_login(f.an_account("auditor"))
    assert client.get(reverse("outside:one", args=[made.public_id])).status_code == 200
    assert client.get(reverse("outside:waiting")).status_code == 403
