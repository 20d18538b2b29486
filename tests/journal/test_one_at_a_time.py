"""A fact is changed one way: of two who change one, the second is told; what must be single is held."""

import pytest
from django.db import IntegrityError, transaction
from django.urls import reverse

from stepladder.assignments import actions as assigning
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import AssignmentRule, Waiver
from stepladder.charts.models import UnitBranch
from stepladder.facts import Overtaken
from stepladder.journal.models import Entry
from stepladder.journal.queries import changed_rows
from stepladder.journal.undoing import take_back
from stepladder.leads import actions as leads_actions
from stepladder.leads.checks import led_twice
from stepladder.leads.models import Lead
from stepladder.people import actions as people
from stepladder.people.actions import placing
from stepladder.people.checks import placed_twice
from stepladder.people.errors import AlreadyAway
from stepladder.people.models import Leave, Placement
from stepladder.people_import import actions as importing
from stepladder.people_import.errors import ImportUnready
from stepladder.people_import.models import Import
from tests import factories as f
from tests.migrating import migrated, newest


@pytest.fixture
def jun(organisation, media, on):
    on("2026-05-14")
    return f.a_person("Jun Pellam")


def a_placement(jun):
    row = Placement.objects.get(person=jun)
    return Placement, lambda day: people.end_placement(placement=row, to_day=f.d(day), by=f.BY)


def a_leave(jun):
    row = people.record_leave(person=jun, from_day=f.d("2026-05-01"), to_day=None, by=f.BY)
    return Leave, lambda day: people.end_leave(leave=row, to_day=f.d(day), by=f.BY)


def a_lead(jun):
    row = f.a_lead(person=jun)
    return Lead, lambda day: leads_actions.end_lead(lead=row, to_day=f.d(day), by=f.BY)


def a_waiver(jun):
    days = {"from_day": f.d("2026-05-01"), "to_day": None}
    row = assigning.grant_waiver(person=jun, course=f.a_course("Fire"), reason="Ashore", by=f.BY, **days)
    return Waiver, lambda day: assigning.revoke_waiver(waiver=row, by=f.BY)


def a_branch(jun):
    unit = f.a_unit("Knot")
    row = UnitBranch.objects.get(node=unit)
    return UnitBranch, lambda day: transaction.atomic()(lambda: row.succeeded_by(to_day=f.d(day)))()


@pytest.mark.parametrize("made", [a_placement, a_leave, a_lead, a_waiver, a_branch])
def test_of_two_requests_that_change_one_fact_the_second_is_told(jun, made):
    """Both have read it as it was: there is one known ending, and the second changed nothing."""
    model, end = made(jun)
    end("2026-06-30")
    known = list(model.objects.known_now().values_list("pk", flat=True))
    with pytest.raises(Overtaken, match="Somebody else changed this in the meantime"):
        end("2026-07-31")
    assert list(model.objects.known_now().values_list("pk", flat=True)) == known
    assert [*placed_twice(), *led_twice()] == []


@pytest.mark.django_db(transaction=True)
def test_a_fact_is_changed_within_a_transaction_only(organisation):
    f.a_person("Jun Pellam")
    with pytest.raises(RuntimeError, match="within the transaction of its act"):
        Placement.objects.get().succeeded_by(to_day=f.d("2026-06-30"))


def test_an_assignment_that_was_taken_back_says_so_when_it_is_ended(jun):
    assignment = f.an_assignment(f.a_course("Fire"))
    take_back(Entry.objects.get(verb="assign"), by=f.BY)
    with pytest.raises(AssignmentError, match="This assignment was taken back"):
        assigning.end_assignment(assignment=assignment, end=f.d("2026-06-30"), by=f.BY)
    assert not AssignmentRule.objects.known_now().exists()


def test_leave_that_overlaps_leave_is_refused_and_does_not_come_back(jun):
    people.record_leave(person=jun, from_day=f.d("2026-05-01"), to_day=f.d("2026-05-10"), by=f.BY)
    with pytest.raises(AlreadyAway, match="away from 1 May 2026 to 10 May 2026 already"):
        people.record_leave(person=jun, from_day=f.d("2026-05-10"), to_day=None, by=f.BY)
    people.record_leave(person=jun, from_day=f.d("2026-05-11"), to_day=None, by=f.BY)
    assert Leave.objects.known_now().count() == 2


def test_an_import_that_another_tab_began_is_not_read_anew(jun):
    ines = f.an_account("administrator")
    job = importing.receive_import(file_name="a.csv", body=b"Number,Name\n1,Jun\n", by=ines)
    Import.objects.update(state=Import.State.APPLYING)
    with pytest.raises(ImportUnready, match="under way or done"):
        importing.choose_columns(job=job, columns=["number", "name"], day_first=True, by=ines)
    assert Import.objects.get().state == Import.State.APPLYING


def test_what_must_be_single_is_held_by_the_database_and_looked_for(jun):
    known = Placement.objects.get(person=jun)
    same = {"person": jun, "unit": known.unit, "position": known.position}
    with pytest.raises(IntegrityError, match="UNIQUE"), transaction.atomic():
        Placement.objects.create(**same, from_day=known.from_day)
    Placement.objects.create(**same, from_day=f.d("2026-02-01"))
    lead = f.a_lead(person=jun)
    lead.pk, lead.public_id = None, "another"
    lead.save(force_insert=True)
    assert [*placed_twice(), *led_twice()] == [
        "Jun Pellam is placed twice in Dunlin on 1 Feb 2026.",
        "The lead Jun Pellam: own unit holds twice on 1 Jan 2020.",
    ]


def test_who_comes_second_is_told_and_not_met_with_a_crash(jun, client, monkeypatch):
    client.force_login(f.an_account("administrator"))
    row = Placement.objects.get(person=jun)
    url = reverse("people:end_placement", args=[jun.public_id, row.public_id])
    with transaction.atomic():
        row.succeeded_by(to_day=f.d("2026-06-30"))
    assert client.post(url, {"to_day": "2026-07-31"}).status_code in (404, 409)


def test_who_is_overtaken_keeps_what_was_typed_and_a_foretold_effect_is_no_error(jun, client, monkeypatch):
    """The effect of a move may still be told when the move itself, sent meanwhile, has been carried out."""
    client.force_login(f.an_account("administrator"))
    row, shore = Placement.objects.get(person=jun), f.a_unit("Shore")
    url = reverse("people:move", args=[jun.public_id])
    moved = {"unit": shore.pk, "from_day": "2026-06-01", "ending": [row.public_id]}
    told = client.post(url, moved | {"effect": "1"}, headers={"HX-Request": "true"})
    assert "Somebody else" not in told.content.decode()

    def meanwhile(placement, to_day):
        raise Overtaken

    monkeypatch.setattr(placing, "end_of", meanwhile)
    told = client.post(url, moved | {"effect": "1"}, headers={"HX-Request": "true"})
    sent = client.post(url, moved)
    assert (told.status_code, sent.status_code) == (200, 422)
    for page in (told.content.decode(), sent.content.decode()):
        assert "Somebody else changed this in the meantime. Look at it again" in page
    assert f'<option value="{shore.pk}" selected' in sent.content.decode()
    assert Placement.objects.filter(person=jun).get() == row


@pytest.mark.usefixtures("empty_database")
def test_what_was_recorded_twice_before_is_kept_once_and_named(capsys):
    old = migrated(("people", "0009_who_is_missing"), ("journal", "0002_taking_back"))
    chart = old.get_model("people", "Chart").objects.create(kind="unit", name="Units", is_main=True)
    unit = old.get_model("people", "Unit").objects.create(chart=chart, name="Dunlin")
    jun = old.get_model("people", "Person").objects.create(employee_number="1", given_name="Jun", family_name="Pellam")
    placements = old.get_model("people", "Placement").objects
    for to_day in ("2026-06-30", "2026-07-31"):
        placements.create(
            person=jun, unit=unit, from_day=f.d("2026-01-01"), to_day=f.d(to_day), recorded_on=f.d("2026-05-01")
        )
    migrated(*newest("journal", "people"))
    assert "kept once: placement of Jun Pellam from 2026-01-01 to 2026-06-30" in capsys.readouterr().out
    assert [str(row.to_day) for row in Placement.objects.known_now()] == ["2026-07-31"]
    entry = Entry.objects.get(verb="mend_doubles")
    assert entry.data["names"] == "placement of Jun Pellam from 2026-01-01 to 2026-06-30"
    assert [problem for problem in changed_rows(Placement) if "changed behind" in problem] == []
