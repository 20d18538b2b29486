"""A file of people, row by row."""

from datetime import date

import pytest

from stepladder.core.fields import ValueUnread, read_day, read_value
from stepladder.core.people_import import (
    FieldAsked,
    KnownPerson,
    Place,
    World,
    day_comes_first,
    judge,
    match_columns,
)


def d(text: str) -> date:
    return date.fromisoformat(text)


TODAY = d("2026-05-14")
LICENCE = FieldAsked(5, "Licence class", "choice", ("A", "B"))
WORLD = World(
    units={"dunlin": 1, "fleet › dunlin": 1, "knot": 2, "deck": None, "fleet › deck": 3, "yard": 4},
    positions={"deckhand": 1, "bosun": 2},
    unit_names={1: "Dunlin", 2: "Knot", 3: "Deck", 4: "Yard"},
    position_names={1: "Deckhand", 2: "Bosun"},
    fields={5: LICENCE},
    locked=frozenset({4}),
)
JUN = KnownPerson(
    9, "MS1", "Jun", "Pellam", "jun@x.example", "employee", d("2024-01-08"), None,
    (Place(70, 1, 1, d("2024-01-08"), None),), {5: "A"},
)  # fmt: skip
COLUMNS = ["number", "given", "family", "email", "unit", "position", "hired", "left", "from", "field:5", "kind"]


def row(
    number="MS1", given="", family="", email="", unit="", position="", hired="", left="", since="", licence="", kind=""
):
    return [number, given, family, email, unit, position, hired, left, since, licence, kind]


def verdict(cells, known=JUN, **more):
    return judge(cells, COLUMNS, known=known, world=WORLD, today=TODAY, **more)


@pytest.mark.parametrize(
    ("text", "day_first", "expected"),
    [
        ("2027-04-01", True, "2027-04-01"),
        ("01.04.2027", True, "2027-04-01"),
        ("01/04/2027", False, "2027-01-04"),
        ("1/4/27", True, "2027-04-01"),
        ("1/4/71", True, "1971-04-01"),
        ("1 Apr 2027", True, "2027-04-01"),
        ("April 1, 2027", True, "2027-04-01"),
        ("2027-04-01 00:00:00", True, "2027-04-01"),
    ],
)
def test_days_are_read_however_they_are_written(text, day_first, expected):
    assert read_day(text, day_first=day_first) == d(expected)


@pytest.mark.parametrize("text", ["31/02/2027", "2027-13-01", "soon", "1/4/9999", "0001-01-01", "99"])
def test_a_day_that_is_none_is_refused(text):
    with pytest.raises(ValueUnread, match=r"is no day of the calendar\. Write it like 2027-04-01"):
        read_day(text)


def test_the_order_of_day_and_month_is_told_by_the_days_that_allow_one_only():
    assert day_comes_first(["01/04/2027", "13/04/2027"])
    assert not day_comes_first(["01/04/2027", "04/13/2027"])
    assert day_comes_first(["2027-04-13", ""])


@pytest.mark.parametrize(
    ("kind", "text", "expected"),
    [("number", "1 200,50", "1200.5"), ("number", "007", "7"), ("choice", "b", "B"), ("day", "1.4.27", "2027-04-01")],
)
def test_values_are_kept_as_they_are_compared(kind, text, expected):
    assert read_value(kind, text, choices=("A", "B")) == expected


@pytest.mark.parametrize(
    ("kind", "text", "says"),
    [("number", "many", "no number"), ("number", "NaN", "no number"), ("choice", "C", "none of A, B")],
)
def test_values_that_do_not_fit_their_kind_are_refused(kind, text, says):
    with pytest.raises(ValueUnread, match=says):
        read_value(kind, text, choices=("A", "B"))


def test_columns_are_matched_by_name_by_likeness_and_by_look():
    heads = ["Personnel no.", "First name", "Surnam", "Where", "X1", "Licence Class", "Remark"]
    rows = [
        ["MS1", "Jun", "Pellam", "Dunlin", "a@x.example", "A", "ok"],
        ["MS2", "Ada", "Venn", "Knot", "b@x.example", "", ""],
    ]
    found = match_columns(heads, rows, fields=[LICENCE], units=frozenset({"dunlin", "knot"}))
    assert [(m.column, m.by) for m in found] == [
        ("number", "name"),
        ("given", "name"),
        ("family", "likeness"),
        ("unit", "look"),
        ("email", "look"),
        ("field:5", "name"),
        ("", ""),
    ]


def test_of_two_columns_alike_the_first_is_taken_and_the_other_is_told():
    found = match_columns(["Number", "Unit", "Department"], [["1", "Dunlin", "Knot"]])
    assert [m.column for m in found] == ["number", "unit", ""]
    assert found[2].doubt == "“Unit” is taken for it already."


def test_the_same_row_again_changes_nothing_and_empty_cells_say_nothing():
    same = row(
        "ms1", "Jun", "Pellam", "jun@x.example", "Dunlin", "Deckhand", "2024-01-08", licence="a", kind="Employee"
    )
    assert verdict(same).kind == "same"
    assert verdict(row()).kind == "same"


def test_a_change_says_what_was_and_what_would_be():
    found = verdict(row(email="new@x.example", unit="Knot", since="2026-06-01", licence="B"))
    assert found.kind == "changed"
    assert found.changes == (
        ("e-mail", "jun@x.example", "new@x.example"),
        ("Licence class", "A", "B"),
        ("placed", "Deckhand, Dunlin", "Deckhand, Knot from 1 Jun 2026"),
    )
    assert (found.unit, found.position, found.ends) == (2, 1, (70,))
    assert verdict(row(position="Bosun")).changes == (("placed", "Deckhand, Dunlin", "Bosun, Dunlin from 14 May 2026"),)


def test_a_last_day_ends_the_employment():
    assert verdict(row(left="2026-06-30")).kind == "ended"
    assert "Last day: it is before the first" in verdict(row(left="2023-06-30")).problems[0]


def test_somebody_new_needs_names_a_first_day_and_a_unit():
    whole = row("MS2", "Ada", "Venn", unit="fleet > dunlin", position="bosun", hired="1.6.2026")
    found = verdict(whole, known=None)
    assert (found.kind, found.unit, found.position, found.hired) == ("new", 1, 2, d("2026-06-01"))
    assert found.changes == (("hired", "", "1 Jun 2026"), ("placed", "", "Bosun, Dunlin"))
    lacking = verdict(row("MS2", "Ada"), known=None)
    assert lacking.problems == tuple(f"{name}: somebody new needs it." for name in ("Family name", "Hired on", "Unit"))


@pytest.mark.parametrize(
    ("cells", "known", "says"),
    [
        (row(number=""), None, "There is no employee number"),
        (row(unit="Dunln"), JUN, "Unit: no unit “Dunln” is in the charts. Did you mean “Dunlin”?"),
        (row(unit="deck"), JUN, "there is more than one unit “deck”. Write its path"),
        (row(unit="Yard"), JUN, "Yard is locked"),
        (row(hired="31/02/2026"), JUN, "Hired on: “31/02/2026” is no day of the calendar"),
        (row(email="jun at x"), JUN, "“jun at x” is no e-mail address"),
        (row(licence="Z"), JUN, "Licence class: “Z” is none of A, B"),
        (row(kind="robot"), JUN, "neither employee nor outside"),
        (row(unit="Knot", since="2020-01-01"), JUN, "is not within the employment"),
    ],
)
def test_what_is_wrong_is_said_with_what_to_do(cells, known, says):
    found = verdict(cells, known=known)
    assert found.kind == "wrong"
    assert says in " ".join(found.problems)


def test_all_that_is_wrong_with_a_row_is_said_at_once():
    assert len(verdict(row(unit="Dunln", hired="31/02/2026", email="x")).problems) == 3


def test_a_number_twice_in_the_file_and_one_of_somebody_who_left_are_wrong():
    assert verdict(row(), earlier_row=4).problems == ("Row 4 has the number MS1 already.",)
    gone = KnownPerson(9, "MS1", "Jun", "Pellam", "", "employee", d("2020-01-01"), d("2025-01-01"))
    assert "Numbers are never used again" in verdict(row(given="Ada"), known=gone).problems[0]
    back = KnownPerson(9, "MS1", "Jun", "Pellam", "", "employee", None, None)
    assert verdict(row(unit="Knot", hired="2026-01-01"), known=back).kind == "new"
