"""A file of earlier training: judged row by row, recorded, taken back."""

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import transaction
from django.urls import reverse

from stepladder.assignments.queries import requirements
from stepladder.events import Act
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Completion
from stepladder.outside.history import record_rows
from stepladder.outside.models import HistoryFile, OutsideTraining
from stepladder.queue.actions import at_once
from tests import factories as f
from tests.reading import page_text

FILES = reverse("outside:files")
BODY = """Number,Course,Completed on,Valid until,Score,Given by
MS1,Fire,1 Mar 2026,,90,Holm School
MS2,Fire,2 Mar 2026,31 Dec 2026,,
MS2,First aid,4 May 2020,,,The Red Pier
MS9,Fire,1 Mar 2026,,,
MS1,Fire,1 Mar 2026,,,
"""


@pytest.fixture
def world(organisation, media, on, client):
    on("2026-05-14")
    ada, bo = f.a_person("Ada Venn", number="MS1"), f.a_person("Bo Tarn", number="MS2")
    course = f.a_course("Fire", months=12)
    f.an_assignment(course, due_trigger="", due_day=f.d("2026-05-20"), notice_days=0)
    client.force_login(f.an_account("administrator"))
    return ada, bo, course


def send(client, body=BODY, name="history.csv"):
    return client.post(FILES, {"file": SimpleUploadedFile(name, body.encode())}, follow=True)


def carry_out(client, act):
    address = reverse("outside:carry_out", args=[HistoryFile.objects.get().public_id])
    with at_once():
        return client.post(address, {"act": act, "once": act}, follow=True)


def statuses(*people):
    found = {
        row.person: str(row.requirement.status)
        for row in requirements(people=[p.pk for p in people], day=f.d("2026-05-14"))
    }
    return [found[person.pk] for person in people]


def test_every_row_is_judged_recorded_and_taken_back(world, client):
    ada, bo, _ = world
    page = send(client)
    assert dict(page.context["counts"]) == {
        "counts as a course": 2,
        "stands in the history": 1,
        "is recorded already": 1,
        "can’t be recorded": 1,
    }
    assert "There is nobody with the number “MS9”." in page_text(page)
    assert not Completion.objects.exists()
    wrong = client.get(page.request["PATH_INFO"], {"as": "csv"}).getvalue().decode("utf-8-sig").splitlines()
    assert wrong[0].endswith("Given by,Why not")
    assert len(wrong) == 2
    assert "3 rows recorded" in page_text(carry_out(client, "record"))
    assert statuses(ada, bo) == ["current", "current"]
    made = Completion.objects.get(person=bo)
    assert (made.own_expiry, made.day) == (f.d("2026-12-31"), f.d("2026-03-02"))
    assert "The Red Pier" in page_text(client.get(reverse("records:record", args=[bo.public_id])))
    # Twice is as once; and the same file once more finds all of it there.
    assert "already" in page_text(carry_out(client, "record"))
    with transaction.atomic(), at_once():
        record_rows(list(HistoryFile.objects.get().rows.values_list("pk", flat=True)), Act(f.d("2026-05-14"), f.BY))
    assert Completion.objects.count() == 2
    again = send(client, name="again.csv")
    assert dict(again.context["counts"])["is recorded already"] == 4


def test_it_is_taken_back_but_for_what_was_changed_since(world, client):
    ada, bo, _ = world
    send(client)
    carry_out(client, "record")
    revoke_completion(completion=Completion.objects.get(person=ada), because="Another Ada", by=f.BY)
    assert "3 rows taken back" in page_text(carry_out(client, "return"))
    assert statuses(ada, bo) == ["due soon", "due soon"]
    assert not OutsideTraining.objects.filter(state="confirmed").exists()
    verbs = Entry.objects.filter(verb__contains="history").order_by("number").values_list("verb", flat=True)
    assert list(verbs) == ["record_history", "record_history_rows", "return_history", "return_history_rows"]
    assert list(problems()) == []


def test_what_somebody_recorded_meanwhile_is_left_as_it_is(world, client):
    ada, _, course = world
    send(client)
    record_completion(person=ada, course=course, edition=course.editions.get(), day=f.d("2026-03-01"), by=f.BY)
    page = carry_out(client, "record")
    assert "It was recorded by somebody else meanwhile." in page_text(page)
    assert Completion.objects.filter(person=ada).count() == 1


@pytest.mark.parametrize(
    ("body", "why"),
    [
        ("Number,Colour\nMS1,red\n", "has no column Course and no column Completed on"),
        ("", "empty"),
        ("\x00\x01\x02", "“history.csv”"),
    ],
)
def test_a_file_that_cannot_be_read_says_why(world, client, body, why):
    page = send(client, body)
    assert (page.status_code, why in page_text(page)) == (422, True)
    assert not HistoryFile.objects.exists()


def test_only_who_keeps_records_brings_files(world, client):
    send(client)
    made = HistoryFile.objects.get()
    client.force_login(f.an_account("auditor"))
    for address in (FILES, reverse("outside:file", args=[made.public_id])):
        assert client.get(address).status_code == 403
    assert client.post(reverse("outside:carry_out", args=[made.public_id]), {"act": "record"}).status_code == 403
    client.force_login(f.an_account("administrator"))
    assert (
        client.get(reverse("outside:sample", args=["csv"]))
        .getvalue()
        .decode("utf-8-sig")
        .startswith("Number,Course,Completed on")
    )
