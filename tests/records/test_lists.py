"""Lists of millions of rows: sorted, cut into pages and written to files on arrays."""

from dataclasses import replace

import numpy as np
import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.core.requirements import LATE, WORST_FIRST, Status
from stepladder.learning.actions import record_completion
from stepladder.records.board import BoardAsked, board
from stepladder.records.list_columns import Filters, list_columns, values_of
from stepladder.records.lists import one_key, status_rows
from tests import factories as f

pytestmark = pytest.mark.django_db
STANDING = "records:standing"


@pytest.fixture
def crowd(organisation, on):
    """Thirty people who are asked for three courses; who has which is different for each."""
    on("2026-01-02")
    courses = [f.a_course(title, months=12, window=60, grace=30) for title in ("Fire", "Boats", "First aid")]
    people = [
        f.a_person(f"{'ABC'[n % 3]}da {['Venn', 'Pell', 'Tarn', 'Moss', 'Ödegård'][n % 5]}{n % 7}") for n in range(30)
    ]
    for n, course in enumerate(courses):
        f.an_assignment(course, start=f.d(f"2026-0{n + 1}-01"), is_mandatory=n < 2)
    for n, person in enumerate(people):
        if n % 3:
            edition = courses[n % 2].editions.get()
            day = f.d(f"2026-01-{1 + n % 2:02d}")
            record_completion(person=person, course=courses[n % 2], edition=edition, day=day, by=f.BY)
    on("2026-12-20")
    return people


FILTERS = Filters(day=f.d("2026-12-20"), known_on=f.d("2026-12-20"), with_suggested=True)
KEYS = {
    "name": lambda r: (r.person.family_name, r.person.given_name),
    "course": lambda r: (r.course.title, r.person.family_name, r.person.given_name),
    "status": lambda r: (WORST_FIRST.index(r.status), r.due),
    "due": lambda r: (r.due, r.person.family_name),
    "valid": lambda r: (r.valid_until or f.d("9999-12-31"), r.person.family_name),
    "late": lambda r: (-(r.days_late or 0), r.person.family_name),
}


def test_pages_hold_every_row_once_in_the_order_asked_for(crowd):
    for sort, key in KEYS.items():
        rows = status_rows(FILTERS, sort=sort)
        whole = list(rows)
        assert len(whole) == len(rows) == 90, sort
        assert [key(row) for row in whole] == sorted(key(row) for row in whole), sort
        paged = [row for at in range(0, 90, 7) for row in rows[at : at + 7]]
        assert [row.key for row in paged] == [row.key for row in whole], sort
        other_way = status_rows(FILTERS, sort=f"-{sort}")
        assert [row.key for row in other_way[:90]] == [row.key for row in whole][::-1], sort
        assert rows[3].key == whole[3].key
        assert [row.key for row in rows[80:200]] == [row.key for row in whole[80:]], sort
        assert rows[95:] == []


def test_each_filter_leaves_what_fits(crowd):
    def shown(**more):
        return list(status_rows(replace(FILTERS, **more), sort="name"))

    assert {row.mandatory for row in shown(with_suggested=False)} == {True}
    assert {row.status for row in shown(statuses=frozenset(LATE))} <= LATE
    assert {row.person for row in shown(text="venn BDA")} == {
        p for p in crowd if p.given_name == "Bda" and "Venn" in p.name
    }
    assert {row.person for row in shown(text="ödegård")} == {p for p in crowd if "Ödegård" in p.name}
    assert {row.person for row in shown(text=crowd[4].employee_number)} == {crowd[4]}
    assert {row.person for row in shown(scope=frozenset({crowd[3].pk}))} == {crowd[3]}
    assert shown(scope=frozenset()) == []
    runs_out = shown(expires_to=f.d("2027-01-01"))
    assert {row.valid_until for row in runs_out} == {f.d("2027-01-01")}
    crowd[0].family_name = "Ølund"
    crowd[0].revision += 1
    crowd[0].save()
    assert shown()[-1].person == crowd[0]


def test_what_a_cell_counts_is_counted_without_its_rows(crowd, django_assert_num_queries):
    rows = status_rows(FILTERS, sort="status")
    by_hand = list(rows)
    with django_assert_num_queries(0):
        counts = rows.counts()
        expiring = rows.expiring(f.d("2026-12-31"), f.d("2027-01-01"))
    assert counts == {s: n for s in WORST_FIRST if (n := sum(row.status == s for row in by_hand))}
    assert expiring == sum(row.valid_until == f.d("2027-01-01") for row in by_hand)
    assert Status.RENEW not in {row.status for row in rows.without(Status.RENEW)}


def test_rows_that_no_one_number_tells_apart_are_ordered_all_the_same():
    wide = np.array([0, 2**40, 5, 2**40])
    far = np.array([2**40, 7, 0, 3])
    assert np.argsort(one_key([wide, far], np.arange(4))).tolist() == [0, 2, 3, 1]
    assert np.argsort(one_key([wide, far], np.array([1, 3]))).tolist() == [1, 0]
    assert np.argsort(one_key([np.array([4, 4, 1])], np.arange(3))).tolist() == [2, 0, 1]


def test_screens_and_files_have_the_same_columns(crowd, client):
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse(STANDING), {"sort": "name"})
    heads = [column.label for column in page.context["page"].columns]
    assert heads == [column.label for column in list_columns(on_screen=True)]
    row, cells = page.context["lines"][0]
    said = dict(zip([column.key for column in list_columns()], values_of([row], FILTERS)[0], strict=True))
    assert {cell.column.key: cell.value for cell in cells} == {c.column.key: said[c.column.key] for c in cells}


def test_a_large_chart_is_folded_and_unfolds_where_one_looks(organisation, client):
    for n in range(45):
        if n:
            f.a_unit(f"Crew {n:02d}", "Fleet")
        f.a_person(f"Ada Venn{n}", unit=f"Crew {n:02d}" if n else "Fleet")
    top = f.a_unit("Fleet")
    f.an_assignment(f.a_course("Fire"), f.in_units(top), start=clock.today())
    client.force_login(f.an_account("administrator"))
    today = clock.today()
    made = board(BoardAsked(day=today, known_on=today, chart=top.chart))
    assert (len(made.rows), made.left_out) == (46, 0)
    below = f.a_unit("Boat", "Crew 07")
    f.a_person("Bo Tarn", unit="Boat")
    f.an_assignment(f.a_course("Boats"), f.in_units(top), start=clock.today())
    folded = board(BoardAsked(day=today, known_on=today, chart=top.chart))
    assert "Boat" not in [row.name for row in folded.rows]
    seven = next(row for row in folded.rows if row.name == "Crew 07")
    assert (seven.is_open, seven.people) == (False, 2)
    unit = f.a_unit("Crew 07")
    page = client.get(reverse("records:board"), {"open": unit.public_id}).content.decode()
    assert f"at/{below.public_id}/" in page
    assert 'aria-label="Fold Crew 07"' in page


def test_the_short_address_of_a_cell_leads_to_its_people(crowd, client):
    client.force_login(f.an_account("auditor"))
    page = client.get(reverse("records:board")).content.decode()
    course = status_rows(FILTERS, sort="name")[0].course
    address = f"at/everyone/{course.public_id}/"
    assert address in page
    answer = client.get(reverse("records:board") + address)
    assert answer.headers["Location"] == f"{reverse(STANDING)}?course={course.public_id}"


def test_a_course_says_who_stands_how_as_far_as_one_sees_and_when_it_is_held(crowd, client):
    drill = f.a_session("2027-01-11", module=f.a_module("Drill", kind="session"))
    course = f.a_course("Drilled", [drill.module])
    f.an_assignment(course, start=f.d("2026-12-01"), is_mandatory=True)
    address = reverse("courses:course", args=[course.public_id])
    client.force_login(f.an_account("administrator"))
    sections = {s.title: s.context for s in client.get(address).context["sections"]}
    ((status, count, width, share),) = sections["Who stands how"]["lines"]
    assert (count, width, share) == (30, 200.0, 100)
    shown = client.get(reverse(STANDING), {"course": course.public_id, "status": str(status)})
    assert shown.context["page"].total == 30
    assert [row.session for row in sections["Sessions to come"]["rows"]] == [drill]
    # An author opens neither records nor sessions.
    client.force_login(f.an_account("author"))
    assert client.get(address).context["sections"] == []
