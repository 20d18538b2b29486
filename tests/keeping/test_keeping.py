"""Who left is kept as a number only: no name is left anywhere, and every figure, fact and the journal's chain hold."""

from datetime import date

import pytest
from django.core.exceptions import PermissionDenied
from django.db import connection, transaction
from django.urls import reverse

from stepladder.accounts.models import Account
from stepladder.assignments.actions import grant_waiver
from stepladder.catalogue.models import Rating
from stepladder.evidence import check, making
from stepladder.evidence.models import Pack
from stepladder.journal import undoing
from stepladder.journal.chain import head
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.keeping import tasks
from stepladder.keeping.actions import entries_of, keep_number_only, set_years
from stepladder.keeping.errors import KeepingError
from stepladder.keeping.who import due, due_on
from stepladder.learning.models import Completion
from stepladder.messaging.actions import write
from stepladder.people import actions as people
from stepladder.people.errors import NumberTaken
from stepladder.people.errors import Shortened as OnlyANumber
from stepladder.people.models import PersonField
from stepladder.people_import.models import Import, ImportRow
from stepladder.queue.actions import at_once
from tests import factories as f
from tests.reading import page_text
from tests.reports.conftest import fleet  # noqa: F401 - six people, of whom Ada Venn did most of what there is to do

TODAY = "2026-05-14"


@pytest.fixture
def admin(organisation, client):
    account = f.an_account("administrator")
    client.force_login(account)
    return account


@pytest.fixture
def ada(fleet, admin, on):  # noqa: F811
    """Ada Venn left on 13 May, with words of hers and about her in many places."""
    course, (ada, bo, *_) = fleet
    on("2026-05-13")
    people.edit_person(
        person=ada, revision=None, given_name="Ada", family_name="Venn", email="ada@post.example", phone="0700 900 123",
        outside_id="hr-4711", by=admin,
    )  # fmt: skip
    field = people.add_field(name="Cabin", kind=PersonField.Kind.TEXT, choices=[], by=admin)
    people.set_values(person=ada, values={field.pk: "Venn, by the stairs"}, by=admin)
    grant_waiver(person=ada, course=course, from_day=f.d(TODAY), to_day=None, reason="Ada Venn is ill", by=f.BY)
    Rating.objects.create(course=course, person=ada, points=4, words="Ada says well done", at=ada.changed_at)
    write(subject="The drill", text="See you there", people=[ada, bo], about="", by=admin)
    job = Import.objects.create(account=admin, file_name="crew.csv", path="crew.csv", made_at=ada.changed_at)
    ImportRow.objects.create(job=job, number=2, cells=[ada.employee_number, "Ada", "Venn"])
    people.leave_organisation(person=ada, left_on=f.d("2026-05-13"), by=admin)
    on(TODAY)
    return ada


def shorten(person, by):
    keep_number_only(person=person, entries=entries_of(person), by=by)
    person.refresh_from_db()
    return person


def mentions(*words):
    """(table, column) of every place in the database where one of these words stands."""
    found = set()
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'search_%'")
        for (table,) in cursor.fetchall():
            cursor.execute(f'SELECT * FROM "{table}"')  # noqa: S608 - the names of our own tables
            columns = [column[0] for column in cursor.description]
            for row in cursor.fetchall():
                found |= {
                    (table, column)
                    for column, value in zip(columns, row, strict=True)
                    if isinstance(value, str) and any(word in value for word in words)
                }
    return found


def test_no_name_is_left_anywhere_and_what_was_done_is(ada, admin, client):
    names = ("Ada", "Venn", "ada@post", "0700 900", "hr-4711")
    assert len(mentions(*names)) > 8
    assert list(problems()) == []
    before, done = head(), list(Completion.objects.filter(person=ada).values_list("pk", "day", "score", "number"))
    report = client.get(
        reverse("reports:new"), {"figure": "requirements.covered", "by": "month", "first": "1 Mar 2026"}
    )
    number = ada.employee_number
    shorten(ada, admin)
    assert mentions(*names) == set()
    assert (ada.name, ada.employee_number, ada.email) == (f"No. {number}", number, "")
    # What proved before proves now, and the chain follows from what was kept of it.
    assert list(problems(before)) == []
    assert list(Completion.objects.filter(person=ada).values_list("pk", "day", "score", "number")) == done
    after = client.get(reverse("reports:new"), {"figure": "requirements.covered", "by": "month", "first": "1 Mar 2026"})
    lines = [[cell["text"] for cell in line["cells"]] for line in after.context["lines"].rows]
    assert lines == [[cell["text"] for cell in line["cells"]] for line in report.context["lines"].rows]
    assert f"No. {number}" in page_text(client.get(reverse("records:record", args=[ada.public_id])))
    account = Account.objects.get(pk=ada.account_id)
    assert (account.is_active, account.has_usable_password(), account.roles) == (False, False, frozenset())


def test_entries_that_were_shortened_say_so_little_and_cannot_be_changed_unseen(ada, admin, client):
    left = Entry.objects.get(verb="leave_organisation")
    assert undoing.may_be_taken_back(left)
    shorten(ada, admin)
    left.refresh_from_db()
    assert left.object_name == ada.name
    assert left.data["day"] == "13 May 2026"
    assert not undoing.may_be_taken_back(left)
    assert client.get(reverse("records:entry", args=[left.number])).status_code == 200
    with connection.cursor() as cursor:
        cursor.execute("UPDATE journal_entry SET object_name = 'Bo Tarn' WHERE number = %s", [left.number])
    assert any(f"entry {left.number} (leave_organisation) was shortened, and changed" in one for one in problems())
    with connection.cursor() as cursor:
        cursor.execute("UPDATE journal_shortened SET shown = content WHERE entry_id = %s", [left.number])
    assert any("journal_shortened row" in one or "shortened, and changed" in one for one in problems())


def test_a_pack_with_shortened_entries_holds_elsewhere(ada, admin, tmp_path):
    sent = head()
    shorten(ada, admin)
    since = head()
    course = Completion.objects.filter(person=ada).first().course
    pack = Pack.objects.create(
        account=admin, name="For Thursday", reach=f.in_units(f.a_unit("Fleet")), words="Fleet", courses=[course.pk],
        day=f.d("2026-05-01"), known_on=f.d(TODAY), with_certificates=False,
    )  # fmt: skip
    making.make_pack.call(key=pack.pk)
    pack.refresh_from_db()
    assert pack.fails == []
    report = check.check(making.file_of(pack), [str(sent), str(since)])
    assert report.fails == []
    assert sum("Head: entry" in one for one in report.holds) == 2


def test_only_who_has_left_and_only_once(ada, admin, client, on):
    bo = f.a_person("Bo Kerr")
    page = client.get(reverse("keeping:person", args=[bo.public_id]))
    assert "Bo Kerr has not left." in page_text(page)
    with pytest.raises(KeepingError, match="has not left"):
        shorten(bo, admin)
    on("2026-05-13")
    with pytest.raises(KeepingError, match="until their last day"):
        shorten(ada, admin)
    on(TODAY)
    with pytest.raises(PermissionDenied):
        shorten(ada, f.an_account("unit_administrator", parts=(f.a_unit("Fleet"),)))
    shorten(ada, admin)
    with pytest.raises(KeepingError, match="as a number already"):
        shorten(ada, admin)
    # The number is nobody else's, and nothing more is written about whoever had it.
    with pytest.raises(NumberTaken):
        f.a_person("Cy Lund", number=ada.employee_number)
    with pytest.raises(OnlyANumber):
        people.edit_person(
            person=ada, revision=None, given_name="Ada", family_name="Venn", email="", outside_id=None, by=admin
        )


def test_what_goes_is_shown_before_it_does_and_has_to_be_read(ada, admin, client):
    address = reverse("keeping:person", args=[ada.public_id])
    page = page_text(client.get(address))
    for line in ('Further fields <b class="fig">1</b>', "Messages to them", "Rows of files that named"):
        assert line in page
    assert address in page_text(client.get(reverse("people:person", args=[ada.public_id])))
    refused = client.post(address, {"once": "one"})
    assert refused.status_code == 422
    assert "it cannot be brought back" in page_text(refused)
    assert client.post(address, {"once": "two", "is_sure": "on"}).status_code == 302
    ada.refresh_from_db()
    assert ada.shortened_on == f.d(TODAY)
    assert address not in page_text(client.get(reverse("people:person", args=[ada.public_id])))


def test_words_about_somebody_of_the_same_name_stay(ada, admin):
    twin = f.a_person("Ada Venn", unit="Shore")
    shorten(ada, admin)
    twin.refresh_from_db()
    assert twin.name == "Ada Venn"
    assert Entry.objects.filter(object_id=twin.public_id, object_name="Ada Venn").exists()
    assert not Entry.objects.filter(object_id=ada.public_id, object_name="Ada Venn").exists()
    # What is hers alone goes wherever it stands.
    assert mentions("ada@post", "0700 900", "hr-4711") == set()
    assert list(problems()) == []


@pytest.mark.parametrize(
    ("left", "years", "first"),
    [("2020-03-10", 6, "2026-03-10"), ("2024-02-29", 1, "2025-03-01"), ("2024-02-29", 4, "2028-02-29")],
)
def test_from_which_day_on_only_a_number_is_kept(organisation, left, years, first):
    person = f.a_person("Ada Venn", hired="2019-01-01")
    people.leave_organisation(person=person, left_on=f.d(left), by=f.BY)
    set_years_to(years)
    day = due_on(f.d(left))
    assert day == f.d(first)
    assert list(due(day, years)) == [person]
    assert list(due(date.fromordinal(day.toordinal() - 1), years)) == []


def set_years_to(years):
    set_years(years=years, by=f.an_account("administrator", name="Ola Quist"))


def test_at_night_those_who_are_due_follow_unless_the_years_became_more(ada, on, client, admin):
    with transaction.atomic(), at_once():
        tasks.hand_over_due.call()
    ada.refresh_from_db()
    assert ada.shortened_on is None
    on("2030-05-12")
    page = client.post(reverse("keeping:keeping"), {"years": "4", "once": "one"}, follow=True)
    assert "Ada Venn" in page_text(page)
    assert "be kept as numbers" in page_text(client.post(reverse("keeping:effect"), {"years": "5"}))
    on("2030-05-13")
    assert "be kept as a number" in page_text(client.post(reverse("keeping:effect"), {"years": "4"}))
    client.post(reverse("keeping:keeping"), {"years": "5", "once": "two"})
    tasks.shorten.call(person=ada.pk)
    ada.refresh_from_db()
    assert ada.shortened_on is None
    client.post(reverse("keeping:keeping"), {"years": "4", "once": "three"})
    with transaction.atomic(), at_once():
        tasks.hand_over_due.call()
    ada.refresh_from_db()
    assert ada.shortened_on == f.d("2030-05-13")
    assert Entry.objects.filter(verb="keep_number_only").get().actor_name == "Keeping"
    refused = client.post(reverse("keeping:keeping"), {"years": "0", "once": "four"})
    assert refused.status_code == 422
    assert list(problems()) == []
