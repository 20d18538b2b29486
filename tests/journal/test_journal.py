import pytest
from django.core.management import call_command
from django.db import connection, transaction

from stepladder.assignments.models import Reason
from stepladder.journal import verbs
from stepladder.journal.actions import Named, record
from stepladder.journal.chain import Head, older_digests
from stepladder.journal.models import Entry
from stepladder.journal.queries import fact_models, history, problems
from tests import factories as f


@pytest.fixture
def _something(organisation, on):
    on("2026-05-14")
    f.a_person("Jun Pellam")
    f.an_assignment(f.a_course())


@pytest.mark.usefixtures("_something")
def test_what_was_written_checks_out_and_reads_as_sentences(capsys):
    assert list(problems()) == []
    call_command("verify")
    assert "are as they were written" in capsys.readouterr().out
    person = Entry.objects.get(verb="hire")
    assert history("person", person.object_id)[-1].text == "hired as Deckhand, Dunlin from 8 Jan 2024"


@pytest.mark.usefixtures("_something")
@pytest.mark.parametrize(
    ("sql", "says"),
    [
        ("UPDATE people_placement SET from_day = '2020-01-01'", "people_placement row 1"),
        ("UPDATE journal_entry SET actor_name = 'Somebody else' WHERE number = 1", "Journal entry 1 "),
        ("UPDATE journal_entryrow SET digest = 'x' WHERE id = 1", "The row digests of journal entry"),
        ("DELETE FROM people_placement", "people_placement row 1 is gone"),
        ("UPDATE assignments_assignmentrule SET due_days = 300", "assignments_assignmentrule row 1"),
    ],
)
def test_a_row_changed_with_plain_sql_is_found_and_named(sql, says):
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA foreign_keys = OFF")
        cursor.execute(sql)
    assert any(says in problem for problem in problems())


@pytest.mark.usefixtures("_something")
def test_a_fact_without_an_entry_is_found():
    person = f.a_person("Ada Venn")
    placement = person.placements.get()
    placement.pk, placement.public_id, placement.from_day = None, "another", f.d("2030-01-01")
    placement.save()
    assert any("was written without a journal entry" in problem for problem in problems())


@pytest.mark.usefixtures("_something")
def test_a_reason_that_the_facts_do_not_give_is_found(capsys):
    Reason.objects.update(due="2030-01-01")
    with pytest.raises(SystemExit):
        call_command("verify")
    said = capsys.readouterr().out
    assert "A reason is stored that the facts do not give" in said
    assert "2 problems found" in said


@pytest.mark.usefixtures("_something")
def test_a_head_that_was_kept_when_entries_were_chained_otherwise_proves_them_still():
    entries = list(Entry.objects.order_by("number"))
    number, digest = list(older_digests(entries))[2]
    assert list(problems(Head(number, digest))) == []
    assert any("is not the one that was kept" in one for one in problems(Head(number, "0" * 64)))
    Entry.objects.filter(number=2).update(actor_name="Somebody else")
    assert any("Journal entry 3 is not the one" in one for one in problems(Head(number, digest)))


def test_an_unknown_verb_and_an_entry_outside_a_transaction_are_refused(organisation):
    with pytest.raises(verbs.UnknownVerb), transaction.atomic():
        record("conjure", by=f.BY, about=Named("person", "x", "X"))


def test_every_table_of_facts_is_checked():
    names = {model.__name__ for model in fact_models()}
    of_people = {"Employment", "Placement", "Leave", "Lead", "FieldValue", "GroupRule", "PositionRole"}
    of_charts = {"UnitBranch", "PositionBranch"}
    of_teaching = {
        "Booking",
        "CourseTerms",
        "Completion",
        "HandIn",
        "Mark",
        "AssignmentRule",
        "PathEdition",
        "Waiver",
        "Wish",
    }
    assert names == of_people | of_charts | of_teaching
