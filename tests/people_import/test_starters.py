"""From a file of 41 starters, as such files are, to all of them invited: what is said before, mended in place, and led to after."""

import pytest
from django.core import mail
from django.core.files.uploadedfile import SimpleUploadedFile
from django.urls import reverse

from stepladder import clock
from stepladder.charts.models import Position, Unit
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import obstacles
from stepladder.leads.models import Lead
from stepladder.people.actions import correct_first_day
from stepladder.people.models import Employment, Person, Placement
from stepladder.people_import import actions as importing
from stepladder.people_import.models import Import, Meaning
from stepladder.people_import.tasks import apply_import, look_through_import, return_import
from tests import factories as f
from tests import starters
from tests.reading import page_text


@pytest.fixture
def ines(organisation, media, on, client):
    on("2026-05-14")
    for unit in ("Dunlin", "Knot"):
        f.a_unit(unit)
    f.a_position("Deckhand")
    f.a_person("Mara Holt", number="MS1", unit="Knot")
    f.an_assignment(
        f.a_course("Fire on board"), f.in_units(f.a_unit("Dunlin")), due_trigger="hire", due_days=0, notice_days=0
    )
    account = f.an_account("administrator")
    client.force_login(account)
    return account


@pytest.fixture
def job(ines, client):
    """The file as it was looked through for the first time."""
    body = starters.workbook(clock.today(), manager="MS1")
    client.post(reverse("people_import:imports"), {"file": SimpleUploadedFile("starters.xlsx", body)})
    found = Import.objects.get()
    choose(client, found)
    return again(found)


def choose(client, job):
    chosen = {f"column-{n}": column["is"] for n, column in enumerate(job.columns)}
    client.post(reverse("people_import:columns", args=[job.public_id]), {**chosen, "days": "day", "missing": "stay"})


def again(job):
    look_through_import.call(job_id=job.pk)
    job.refresh_from_db()
    return job


def page(client, job, **query):
    return page_text(client.get(reverse("people_import:import", args=[job.public_id]), query))


def wrong(job):
    return {row.number: row.messages for row in job.rows.filter(verdict="wrong")}


def test_the_sheet_and_the_heads_are_found_and_everything_is_said_before(job, client):
    assert (job.sheet, job.sheets, job.above) == ("Starters", ["Read me", "Starters"], ["New starters of next month"])
    assert [c["is"] for c in job.columns] == [
        *("number", "given", "family", "email", "phone", "unit", "position", "hired", "manager")
    ]
    assert wrong(job) == {
        7: ["Row 6 has the number MS5002 already."],
        8: ["Unit: no unit “Dunlyn” is in the charts. Did you mean “Dunlin”?"],
    }
    notes = {row.number: row.notes for row in job.rows.exclude(notes=[])}
    start = starters.day_of_start(clock.today())
    assert list(notes) == [9, 10]
    assert notes[9] == ["Phone: “ask her” is no number to call. It is left out."]
    assert f"“05/{start:%m/%Y}” is read as 5 {start:%b %Y}; it could be" in notes[10][0]
    # What they will be asked, how many, and nothing of it is there yet.
    assert job.asked == [["Fire on board", 26]]
    assert not Person.objects.filter(employee_number__startswith="MS5").exists()
    shown = page(client, job)
    assert "Words that mean nothing here yet" in shown
    assert "a day can be read in two ways" in shown
    assert "asked for 1 course" in page(client, job, show="new")


def test_words_and_cells_are_put_right_in_place_and_words_for_the_next_file_too(job, client):
    dunlin = f.a_unit("Dunlin")
    said = {"kind-0": "unit", "text-0": "Dunlyn", "node-0": dunlin.pk}
    client.post(reverse("people_import:meaning", args=[job.public_id]), said)
    assert list(wrong(again(job))) == [7]
    cells = {"line": "7", "cell-0": "MS5003", "cell-1": "Dell"}
    client.post(reverse("people_import:correct", args=[job.public_id]), cells)
    assert wrong(again(job)) == {}
    assert job.rows.get(number=7).cells[:2] == ["MS5003", "Dell"]
    start = starters.day_of_start(clock.today())
    cells = {"line": "10", "cell-7": f"5 {start:%b %Y}"}
    client.post(reverse("people_import:correct", args=[job.public_id]), cells)
    assert again(job).rows.get(number=10).notes == []
    assert Meaning.objects.get().unit == dunlin
    # The next file with these heads is read as this one was.
    body = starters.workbook(clock.today(), manager="MS1")
    client.post(reverse("people_import:imports"), {"file": SimpleUploadedFile("more.xlsx", body), "once": "b"})
    second = Import.objects.latest("pk")
    assert {c["by"] for c in second.columns} == {"kept"}
    choose(client, second)
    assert list(wrong(again(second))) == [7]


def test_another_sheet_is_read_where_one_says_so(job, client):
    client.post(reverse("people_import:sheet", args=[job.public_id]), {"sheet": "Read me"})
    job.refresh_from_db()
    assert (job.sheet, job.state) == ("Read me", Import.State.REFUSED)


def carried_out(job, client):
    client.post(reverse("people_import:apply", args=[job.public_id]))
    apply_import.call(job_id=job.pk)
    job.refresh_from_db()


def test_afterwards_they_are_led_seen_and_invited_and_all_of_it_is_taken_back(
    job, client, django_capture_on_commit_callbacks
):
    carried_out(job, client)
    people = Person.objects.filter(employee_number__startswith="MS5")
    assert people.count() == 39
    mara = Person.objects.get(employee_number="MS1")
    leads = Lead.objects.known_now()
    assert leads.count() == 38
    assert {(lead.holder_person, lead.from_day > clock.today()) for lead in leads} == {(mara, True)}
    shown = page(client, job, show="new")
    first = people.order_by("pk").first()
    assert reverse("people:person", args=[first.public_id]) in shown
    assert "Invite the 39 who are new" in shown
    with django_capture_on_commit_callbacks(execute=True):
        done = client.post(reverse("people_import:invite", args=[job.public_id]), {"once": "i"}, follow=True)
    assert "39 invited" in page_text(done)
    assert len({letter.to[0] for letter in mail.outbox}) == len(mail.outbox) == 39
    assert sum("“Fire on board”, by" in letter.body for letter in mail.outbox) == 26
    assert "Invite the" not in page(client, job)
    assert list(problems()) == []


def test_a_manager_who_changes_is_another_lead_from_then_on(job, client, ines, on):
    carried_out(job, client)
    f.a_person("Nils Orme", number="MS2", unit="Knot")
    on("2026-07-01")
    text = "Number,Manager no.\nMS5001,MS2\nMS5002,MS1\n"
    second = importing.receive_import(file_name="managers.csv", body=text.encode(), by=ines)
    importing.choose_columns(job=second, columns=["number", "manager"], day_first=True, by=ines)
    again(second)
    assert {row.number: row.verdict for row in second.rows.all()} == {2: "changed", 3: "same"}
    assert second.rows.get(number=2).messages == ["manager: MS1 → MS2"]
    carried_out(second, client)
    key = Person.objects.get(employee_number="MS5001").pk
    mine = Lead.objects.known_now().filter(named=[key]).order_by("from_day")
    assert [(lead.holder_person.employee_number, lead.to_day) for lead in mine] == [
        ("MS1", f.d("2026-06-30")),
        ("MS2", None),
    ]


def test_an_import_is_taken_back_with_its_leads(job, client, ines):
    carried_out(job, client)
    importing.return_import(job=job, by=ines)
    return_import.call(job_id=job.pk)
    job.refresh_from_db()
    assert job.state == Import.State.RETURNED
    assert not Lead.objects.known_now().exists()
    assert not Employment.objects.known_now().filter(person__employee_number__startswith="MS5").exists()


def test_a_first_day_is_corrected_with_what_it_changes_shown(ines, client):
    jun = f.a_person("Jun Pellam", hired="2026-05-01")
    address = reverse("people:first_day", args=[jun.public_id])
    told = page_text(client.post(address, {"hired_on": "2026-06-01", "effect": "1"}))
    assert '<b class="fig">1</b> person gets another day for “Fire on board”' in told
    client.post(address, {"hired_on": "1 Jun 2026"})
    assert Employment.objects.known_now().get(person=jun).hired_on == f.d("2026-06-01")
    assert Placement.objects.known_now().get(person=jun).from_day == f.d("2026-06-01")
    correct_first_day(person=jun, hired_on=f.d("2026-04-01"), by=f.BY)
    assert Placement.objects.known_now().get(person=jun).from_day == f.d("2026-04-01")
    assert list(problems()) == []


def test_a_sample_has_every_column_and_is_taken_as_it_is(ines, client):
    page = page_text(client.get(reverse("people_import:imports")))
    assert "Manager’s number" in page
    for kind in ("csv", "xlsx"):
        body = client.get(reverse("people_import:sample", args=[kind])).content
        job = importing.receive_import(file_name=f"people.{kind}", body=body, by=ines)
        assert [column["is"] for column in job.columns if not column["is"]] == []
        assert job.total == 1


def test_a_word_that_is_new_is_made_in_the_chart_and_taken_back_while_nobody_is_there(job, client):
    said = {
        "kind-0": "unit",
        "text-0": "Dunlyn",
        "node-0": "new",
        "kind-1": "position",
        "text-1": "Cook",
        "node-1": "new",
    }
    client.post(reverse("people_import:meaning", args=[job.public_id]), said)
    assert list(wrong(again(job))) == [7]
    made, cook = Unit.objects.get(name="Dunlyn"), Position.objects.get(name="Cook")
    # The chart has several tops, so that none of them is meant.
    assert (made.branches.get().parent, cook.branches.get().parent) == (None, None)
    act = Entry.objects.get(verb="add_nodes")
    f.a_person("Kit Rudd", unit="Dunlyn")
    assert "Dunlyn is in use: people are placed there." in obstacles(act)
    # A name that came to be there meanwhile is said, and nothing is kept of the rest.
    client.post(reverse("people_import:meaning", args=[job.public_id]), {**said, "text-1": "Mate"})
    assert not Position.objects.filter(name="Mate").exists()
    assert list(problems()) == []
