"""The journal is not deceived: whatever is changed, slipped in or cut off past the application is found."""

import threading
from contextlib import contextmanager

import pytest
from django.core.management import CommandError, call_command
from django.db import connection, transaction

from stepladder.accounts.models import RoleGrant
from stepladder.journal import sealing
from stepladder.journal.actions import Named, record
from stepladder.journal.chain import Head, entry_digest, head
from stepladder.journal.models import Entry, Seal
from stepladder.journal.queries import problems
from stepladder.people.models import Person
from stepladder.timetable import actions as timetable
from tests import factories as f
from tests.timetable.drills import some


@contextmanager
def past_the_application():
    """As somebody with the database's file would write: without the triggers of the application's connections."""
    found = list(problems())
    assert found == []
    sealing.suspend(connection)
    with connection.cursor() as cursor:
        yield cursor
    sealing.install(connection)


@pytest.fixture
def _much(organisation, media, on):
    """One row at least in every table that proof rests on."""
    on("2026-05-14")
    ada, jun = some("Ada Venn", "Jun Pellam")
    account = f.an_account("auditor", person=ada, parts=(f.a_unit("Dunlin"),))
    session = f.a_session(capacity=2)
    f.an_assignment(f.a_course("Fire on board", [session.module]))
    timetable.book_seat(session=session, person=ada, by=f.BY)
    on("2026-06-12")
    timetable.keep_minutes(session=session, marks={ada: {session.meetings.get(): 120}}, by=f.BY)
    timetable.sign_off(session=session, by=f.BY)
    f.told(jun)
    assert account.roles == {"auditor"}


@pytest.mark.usefixtures("_much")
@pytest.mark.parametrize(
    "sql",
    [
        "UPDATE people_person SET family_name = 'Fenn' WHERE family_name = 'Venn'",
        "UPDATE people_person SET employee_number = 'X1' WHERE family_name = 'Venn'",
        "UPDATE people_person SET email = 'other@ferries.example' WHERE family_name = 'Venn'",
        "UPDATE accounts_rolegrant SET role = 'administrator' WHERE role = 'auditor'",
        "INSERT INTO accounts_rolegrant (account_id, role) SELECT id, 'author' FROM accounts_account LIMIT 1",
        "UPDATE accounts_account SET email = 'other@ferries.example' WHERE id = (SELECT max(id) FROM accounts_account)",
        "DELETE FROM people_administeredpart",
        "UPDATE learning_stepdone SET score = '1'",
        "UPDATE learning_enrolment SET completed_at = '2020-01-01 00:00:00'",
        "UPDATE timetable_presence SET left_at = joined_at",
        "UPDATE timetable_session SET signed_off_by = 'Somebody else'",
        "UPDATE courses_edition SET lowest_score = 10",
        "DELETE FROM courses_step",
        "UPDATE library_moduleversion SET data = '{}'",
        "UPDATE assignments_assignment SET name = 'Another'",
        "UPDATE notices_notice SET text = 'There is nothing to learn.'",
        "DELETE FROM notices_notice",
    ],
)
def test_what_proof_rests_on_is_watched(sql):
    with past_the_application() as cursor:
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        cursor.execute(sql)
        assert cursor.rowcount > 0
    table = next(word for word in sql.split() if "_" in word)
    found = list(problems())
    assert found
    assert all(table in problem for problem in found)


@pytest.mark.usefixtures("_much")
def test_a_row_that_was_deleted_stays_deleted():
    RoleGrant.objects.filter(role="auditor").delete()
    with past_the_application() as cursor:
        gone = Seal.objects.filter(table="accounts_rolegrant", digest=sealing.GONE).get().row
        account = RoleGrant.objects.values_list("account", flat=True).first()
        cursor.execute(
            "INSERT INTO accounts_rolegrant (id, account_id, role) VALUES (%s, %s, 'author')", [gone, account]
        )
    assert list(problems()) == [
        f"accounts_rolegrant row {gone} is there again, though the journal knows that it was deleted."
    ]


@pytest.mark.usefixtures("_much")
def test_rows_slipped_under_entries_speak_for_nothing():
    with transaction.atomic():
        bare = record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
        record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
    with past_the_application() as cursor:
        cursor.execute("UPDATE people_person SET family_name = 'Fenn' WHERE family_name = 'Venn'")
        person = Person.objects.get(family_name="Fenn")
        digest = dict(sealing.digests_of(connection, Person, [person.pk]))[person.pk]
        text = "INSERT INTO journal_seal (entry_id, \"table\", row, digest) VALUES (%s, 'people_person', %s, %s)"
        cursor.execute(text, [bare.number, person.pk, digest])
    assert f"The row digests of journal entry {bare.number} (load_demo) were changed." in list(problems())


@pytest.mark.usefixtures("_much")
def test_a_cut_tail_is_found_by_a_head_that_was_kept():
    assert list(problems()) == []
    kept = head()
    with transaction.atomic():
        record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
    assert list(problems(kept)) == []
    later = head()
    with past_the_application() as cursor:
        cursor.execute("DELETE FROM journal_seal WHERE entry_id = %s", [later.number])
        cursor.execute("DELETE FROM journal_entry WHERE number = %s", [later.number])
    assert list(problems()) == list(problems(kept)) == []
    assert list(problems(later)) == [f"Journal entry {later.number} is missing: the journal was cut off."]
    with transaction.atomic():
        record("load_demo", by=f.BY, about=Named("organisation", "", "Another"))
    assert list(problems(later)) == [f"Journal entry {later.number} is not the one that was kept."]


@pytest.mark.usefixtures("_much")
def test_a_renumbered_last_entry_and_a_gap_are_found():
    last = head().number
    with past_the_application() as cursor:
        cursor.execute("PRAGMA defer_foreign_keys = ON")
        cursor.execute("UPDATE journal_entry SET number = number + 1 WHERE number = %s", [last])
        cursor.execute("UPDATE journal_entryrow SET entry_id = entry_id + 1 WHERE entry_id = %s", [last])
        cursor.execute("UPDATE journal_seal SET entry_id = entry_id + 1 WHERE entry_id = %s", [last])
    found = list(problems())
    assert any(problem.startswith(f"Before journal entry {last + 1} (") for problem in found)
    entry = Entry.objects.get(number=last + 1)
    assert entry.digest != entry_digest(entry)


@pytest.mark.django_db(transaction=True)
def test_what_is_written_without_an_act_has_its_digest_at_the_commit():
    person = f.a_person("Ada Venn")
    f.an_account("learner", person=person)
    f.told(person)
    # The notice, and the person to whom an account was tied outside an act.
    newest = Entry.objects.latest("number")
    assert (newest.verb, newest.actor_name, newest.data) == ("write", "Stepladder", {"what": "1 notice, 1 person"})
    count = Entry.objects.count()
    with transaction.atomic():
        # What follows an act belongs to its entry.
        record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
        Person.objects.filter(pk=person.pk).update(given_name="Adah")
    assert Entry.objects.count() == count + 1
    with transaction.atomic():
        Person.objects.filter(pk=person.pk).update(given_name="Eve")
        transaction.set_rollback(True)
    assert Entry.objects.count() == count + 1
    assert list(problems()) == []


@pytest.mark.django_db(transaction=True)
def test_an_entry_that_was_rolled_back_is_nobodys_to_seal_again():
    """Its number goes to the next entry, which may be another's: that one's digest is never touched again."""
    person = f.a_person("Ada Venn")
    with transaction.atomic():
        record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
        transaction.set_rollback(True)
    # As another process would: this thread does not know of it.
    _record_in_a_thread()
    kept = head()
    with transaction.atomic():
        Person.objects.filter(pk=person.pk).update(given_name="Adah")
    assert head().number == kept.number + 1
    assert list(problems(kept)) == []


def _record_in_a_thread():
    def act():
        with transaction.atomic():
            record("load_demo", by=f.BY, about=Named("organisation", "", "Marram"))
        connection.close()

    other = threading.Thread(target=act)
    other.start()
    other.join()


def test_verify_holds_a_head_against_the_journal(organisation, capsys):
    f.a_person()
    call_command("verify", "--expect", str(head()))
    assert f"Head of the journal: {head()}" in capsys.readouterr().out
    with pytest.raises(CommandError, match="A head is the number of an entry"):
        call_command("verify", "--expect", "12")
    with pytest.raises(SystemExit):
        call_command("verify", "--expect", str(Head(head().number, "0" * 64)))
