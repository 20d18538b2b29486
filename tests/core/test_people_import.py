"""A file of people, row by row."""

from dataclasses import replace
from datetime import date

import pytest

from stepladder.core.people_import import (
    Beside,
    FieldAsked,
    KnownPerson,
    Place,
    World,
    figures_order,
    heads_named,
    judge,
    judge_missing,
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
        (row(unit="deck"), JUN, "Unit: there is more than one unit “deck”. Write its path"),
        (row(unit="Yard"), JUN, "Yard is locked"),
        (row(hired="31/02/2026"), JUN, "Hired on: “31/02/2026” is no day of the calendar"),
        (row(unit="Knot", since="2020-01-01"), JUN, "is not within the employment"),
    ],
)
def test_what_is_wrong_is_said_with_what_to_do(cells, known, says):
    found = verdict(cells, known=known)
    assert found.kind == "wrong"
    assert says in " ".join(found.problems)


def test_all_that_is_wrong_with_a_row_is_said_at_once():
    assert len(verdict(row(unit="Dunln", position="Bosn", hired="31/02/2026")).problems) == 3


@pytest.mark.parametrize(
    ("cells", "says"),
    [
        (row(email="jun at x"), "E-mail: “jun at x” is no e-mail address. It is left out."),
        (row(licence="Z"), "Licence class: “Z” is none of A, B. It is left out."),
        (row(kind="robot"), "Kind: “robot” is neither employee nor outside. It is left out."),
    ],
)
def test_a_wrong_field_that_nobody_needs_is_left_out_and_keeps_nobody_out(cells, says):
    found = verdict(cells)
    assert (found.kind, found.notes) == ("same", (says,))
    assert (found.email, found.values, found.employment) == ("", {}, "")


@pytest.mark.parametrize(
    ("text", "first", "read", "other"),
    [
        ("12/07/2026", True, "2026-07-12", "7 Dec 2026"),
        ("12/07/2026", False, "2026-12-07", "12 Jul 2026"),
        # Only one of the two can be a month, or both say the same.
        ("25/07/2026", True, "2026-07-25", None),
        ("07/07/2026", True, "2026-07-07", None),
        ("2026-07-12", True, "2026-07-12", None),
        ("12.07.2026", True, "2026-07-12", None),
    ],
)
def test_a_day_that_could_be_another_is_named_where_the_file_does_not_tell(text, first, read, other):
    cells = row("MS2", "Ada", "Venn", unit="Dunlin", hired=text)
    found = verdict(cells, known=None, day_first=first, beside=Beside(days_in_doubt=True))
    assert found.hired == d(read)
    shown = f"{d(read).day} {d(read):%b %Y}"
    says = (f"Hired on: “{text}” is read as {shown}; it could be {other}.",) if other else ()
    assert found.notes == says
    assert verdict(cells, known=None, day_first=first).notes == ()


def test_an_address_or_a_manager_that_others_have_or_nobody_is_said():
    beside = {"columns": ["number", "email", "manager", "phone"], "known": JUN, "world": WORLD, "today": TODAY}
    cells = ["MS1", "a@x.example", "MS7", "call me"]
    found = judge(cells, **beside, beside=Beside(email_row=3, managers={"ms2"}))
    assert found.notes == (
        "E-mail: row 3 has “a@x.example” too. Only one of them can sign in with it.",
        "Phone: “call me” is no number to call. It is left out.",
        "Manager’s number: nobody has “MS7”. It is left out.",
    )
    assert (found.email, found.manager, found.phone) == ("a@x.example", "", "")
    led = judge(["MS1", "", "ms2", "+44 1234 567"], **beside, beside=Beside(managers={"ms2"}))
    assert led.changes == (("phone", "", "+44 1234 567"), ("manager", "", "ms2"))
    assert "their own" in judge(["MS1", "", "ms1", ""], **beside).notes[0]
    assert judge(["MS1", "", "MS2", ""], **{**beside, "known": replace(JUN, manager="MS2")}).kind == "same"


def test_the_heads_are_the_row_that_names_most_columns():
    rows = [["New starters, May"], ["", "Number", "of", "people: 41"], ["No.", "First name", "Licence class", "Remark"]]
    assert [heads_named(cells, [LICENCE]) for cells in rows] == [0, 1, 3]


def test_a_number_twice_in_the_file_and_one_of_somebody_who_left_are_wrong():
    assert verdict(row(), beside=Beside(earlier_row=4)).problems == ("Row 4 has the number MS1 already.",)
    gone = KnownPerson(9, "MS1", "Jun", "Pellam", "", "employee", d("2020-01-01"), d("2025-01-01"))
    assert "Numbers are never used again" in verdict(row(given="Ada"), known=gone).problems[0]
    back = KnownPerson(9, "MS1", "Jun", "Pellam", "", "employee", None, None)
    assert verdict(row(unit="Knot", hired="2026-01-01"), known=back).kind == "new"


def looks(*cells, head="Zz", **more):
    return match_columns([head], [[cell] for cell in cells], **more)[0].column


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        (["a@x.example", "b@x.example"], "email"),
        (["a@x.example", "b at x"], ""),
        (["a@x.example", "", " "], ""),
        # Three of five are units, and two of four are not enough.
        (["Dunlin", "knot", "Yard", "?", "-"], "unit"),
        (["Dunlin", "Knot", "?", "-"], ""),
        (["Bosun", "Bosun", "Deckhand"], "position"),
        # Four of five are different, and three of four are not enough.
        (["MS1", "MS2", "MS3", "MS4", "MS4"], "number"),
        (["MS1", "MS2", "MS3", "MS3"], ""),
        (["MS1", "MS"], ""),
        (["1" * 20, "2" * 20], "number"),
        (["1" * 21, "2" * 20], ""),
        (["1.4.2027", "2.4.2027"], "hired"),
        (["1.4.2027", "1.4.2027", "1.4.2027"], "hired"),
        (["1.4.2027", "later"], ""),
    ],
)
def test_a_column_without_a_known_head_is_taken_by_the_look_of_its_cells(cells, expected):
    names = {"units": frozenset({"dunlin", "knot", "yard"}), "positions": frozenset({"bosun", "deckhand"})}
    assert looks(*cells, **names) == expected


def test_a_look_is_given_once_and_not_where_a_head_has_it_or_cells_are_missing():
    rows = [["1", "a@x.example", "c@x.example"], ["2", "b@x.example", "d@x.example"], ["3"]]
    assert [m.column for m in match_columns(["Number", "Zz", "Yy"], rows)] == ["number", "email", ""]
    assert [m.column for m in match_columns(["Number", "Zz", "E-Mail"], rows)] == ["number", "", "email"]


def test_a_head_that_is_nearly_right_counts_from_four_letters_and_gives_way_to_one_that_is():
    taken = "“Surname” is taken for it already."
    found = match_columns(["Emai", "Mai", "Surnam", "Surname", "Familiname"], [])
    assert [(m.column, m.by) for m in found] == [
        ("email", "likeness"),
        ("", ""),
        ("", ""),
        ("family", "name"),
        ("", ""),
    ]
    assert [m.doubt for m in found] == ["", "", taken, "", taken]
    twice = match_columns(["Surnam", "Familiname"], [["a@x.example"] * 2, ["b@x.example"] * 2])
    assert [m.column for m in twice] == ["family", ""]


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        (["04/12/2027", "2027-04-13"], ""),
        (["12/13/2027"], "month"),
        (["01/04/2027", "13/04/2027"], "day"),
        (["13/04/2027", "04/13/2027"], "both"),
        (["13/13/2027"], ""),
        (["x", "1.13.27"], "month"),
        ([], ""),
    ],
)
def test_the_days_that_can_be_read_one_way_only_tell_the_order(cells, expected):
    assert figures_order(cells) == expected


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        (["", "", "Venn, Ada"], ("Ada", "Venn")),
        (["", "", "Ada Maria Venn"], ("Ada Maria", "Venn")),
        (["", "", "Venn"], ("", "Venn")),
        (["Ida", "", "Ada Venn"], ("Ada", "Venn")),
        (["", "Vell", "Ada Venn"], ("Ada", "Venn")),
        (["Ida", "Vell", "Ada Venn"], ("Ida", "Vell")),
        # A row that is shorter than the head says nothing more.
        (["Ida"], ("Ida", "")),
    ],
)
def test_a_whole_name_is_parted_where_its_parts_are_not_there(cells, expected):
    found = judge(
        ["MS1", "skipped", *cells], ["number", "", "given", "family", "name"], known=JUN, world=WORLD, today=TODAY
    )
    assert (found.given, found.family) == expected


@pytest.mark.parametrize(
    ("cells", "says"),
    [
        (row(position="Bosn"), "no position “Bosn” is in the charts. Did you mean “Bosun”?"),
        (row(unit="Qqqq"), "no unit “Qqqq” is in the charts."),
        # What would be meant is there twice itself.
        (row(unit="Decks"), "no unit “Decks” is in the charts."),
    ],
)
def test_a_name_that_is_not_there_is_answered_with_the_one_it_is_like(cells, says):
    (problem,) = verdict(cells).problems
    assert problem.endswith(says)


@pytest.mark.parametrize("written", ["Fleet › Deck", "fleet/deck", "FLEET>DECK", "Fleet / Deck"])
def test_a_path_is_read_with_whatever_sign_is_between_its_parts(written):
    assert verdict(row(unit=written)).unit == 3


def test_a_name_with_such_a_sign_in_it_is_a_name():
    world = replace(WORLD, units={"cook/steward": 2})
    assert judge(row(unit="Cook/Steward"), COLUMNS, known=JUN, world=world, today=TODAY).unit == 2


@pytest.mark.parametrize(
    ("written", "expected"), [("Internal", "employee"), ("EMPLOYED", "employee"), ("partner", "outside"), ("", "")]
)
def test_the_kind_of_employment_has_several_words(written, expected):
    assert verdict(row(kind=written)).employment == expected


def placed(*places, hired="2024-01-08", left=None):
    return replace(JUN, places=places, hired=hired and d(hired), left=left and d(left))


def place(key, unit, first, last=None, position=1):
    return Place(key, unit, position, d(first), last and d(last))


DUNLIN, KNOT = place(70, 1, "2024-01-08"), place(71, 2, "2025-01-01", position=2)


@pytest.mark.parametrize(("last", "kind"), [(None, "same"), ("2026-05-14", "same"), ("2026-05-13", "wrong")])
def test_who_is_in_a_locked_unit_to_day_may_be_said_to_be_there(last, kind):
    assert verdict(row(unit="Yard"), placed(place(1, 4, "2024-01-08", last))).kind == kind


def test_it_is_enough_to_be_in_a_locked_unit_by_one_of_several_placements():
    assert verdict(row(unit="Yard"), placed(DUNLIN, place(1, 4, "2024-01-08"))).kind == "same"


def test_somebody_new_is_not_placed_in_a_locked_unit_either():
    found = verdict(row("MS2", "Ada", "Venn", unit="Yard", hired="2026-06-01"), known=None)
    assert found.problems == ("Unit: Yard is locked. Place people there one by one.",)


def test_somebody_new_whose_day_cannot_be_read_is_told_once_and_leaves_after_coming():
    new = {"number": "MS2", "given": "Ada", "family": "Venn", "unit": "Knot"}
    (problem,) = verdict(row(**new, hired="31/02/2026"), known=None).problems
    assert problem.startswith("Hired on: “31/02/2026” is no day")
    assert verdict(row(**new, hired="2026-06-02", left="2026-06-01"), known=None).problems == (
        "Last day: it is before the first.",
    )
    found = verdict(row(**new, hired="2026-06-02", left="2026-06-02"), known=None)
    assert (found.kind, found.left, found.person, found.changes[1]) == (
        "new",
        d("2026-06-02"),
        None,
        ("placed", "", "Knot"),
    )


def test_who_comes_again_after_their_hiring_was_taken_back_keeps_their_names():
    back = verdict(row(unit="Knot", hired="2026-01-01"), known=placed(hired=None))
    assert (back.kind, back.person, back.given, back.family) == ("new", 9, "Jun", "Pellam")


@pytest.mark.parametrize(
    ("left", "said", "kind"),
    [
        ("2026-05-13", "", "wrong"),
        ("2026-05-13", "2026-05-13", "same"),
        ("2026-05-13", "2026-08-01", "wrong"),
        ("2026-05-14", "", "same"),
        ("2026-05-14", "2026-08-01", "ended"),
    ],
)
def test_who_has_left_does_not_come_back_by_a_row(left, said, kind):
    assert verdict(row(left=said), placed(left=left)).kind == kind


@pytest.mark.parametrize(
    ("cells", "change"),
    [
        (row(given="June"), ("given name", "Jun", "June")),
        (row(family="Pell"), ("family name", "Pellam", "Pell")),
        (row(kind="partner"), ("kind", "employee", "outside")),
        (row(hired="2024-01-09"), ("hired on", "8 Jan 2024", "9 Jan 2024")),
        (row(left="2026-06-30"), ("last day", "", "30 Jun 2026")),
    ],
)
def test_each_change_is_told_with_what_was(cells, change):
    found = verdict(cells)
    assert found.changes == (change,)
    assert (found.hired, found.left) == (
        d("2024-01-09") if change[0] == "hired on" else JUN.hired,
        d("2026-06-30") if change[0] == "last day" else None,
    )


def test_the_first_day_may_be_the_last():
    assert verdict(row(left="2024-01-08")).kind == "ended"


@pytest.mark.parametrize(
    ("cells", "known", "unit", "position", "day", "ends"),
    [
        # Where they are already, by any of their placements, nobody is moved.
        (row(unit="Dunlin"), placed(DUNLIN), None, None, None, ()),
        (row(unit="Dunlin", position="Deckhand"), placed(DUNLIN, KNOT), None, None, None, ()),
        (row(since="2026-06-01"), placed(DUNLIN), None, None, None, ()),
        # The newest placement says what the row does not.
        (row(position="Deckhand"), placed(DUNLIN, KNOT), 2, 1, "2026-05-14", (70, 71)),
        (row(unit="Dunlin"), placed(DUNLIN, KNOT), 1, 2, "2026-05-14", (70, 71)),
        (row(position="Bosun"), placed(place(70, 1, "2024-01-08", "2026-05-13")), None, None, None, ()),
        (row(unit="Knot"), placed(place(70, 1, "2024-01-08", "2026-05-13")), 2, None, "2026-05-14", ()),
        (row(unit="Knot"), placed(place(70, 1, "2024-01-08", "2026-05-14")), 2, 1, "2026-05-14", (70,)),
        # From today on, or from the first day of who is still to come.
        (row(unit="Knot"), placed(hired="2026-06-01"), 2, None, "2026-06-01", ()),
        (row(unit="Knot", since="2024-01-08"), placed(), 2, None, "2024-01-08", ()),
        (row(unit="Knot", since="2026-06-30"), placed(left="2026-06-30"), 2, None, "2026-06-30", ()),
    ],
)  # fmt: skip
def test_a_row_places_people_from_a_day_on_and_ends_where_they_are(cells, known, unit, position, day, ends):
    found = verdict(cells, known)
    assert (found.unit, found.position, found.moved_on, found.ends) == (unit, position, day and d(day), ends)
    assert [what for what, _, _ in found.changes] == (["placed"] if unit else [])
    assert not found.problems


@pytest.mark.parametrize(
    ("cells", "known", "says"),
    [
        (row(unit="Knot", since="2024-01-07"), placed(DUNLIN), "7 Jan 2024 is not within the employment"),
        (row(unit="Knot", since="2026-07-01"), placed(DUNLIN, left="2026-06-30"), "1 Jul 2026 is not within"),
        (
            row(unit="Knot"),
            placed(place(1, 1, "2026-05-14")),
            "they are placed from 14 May 2026 on; choose a later day",
        ),
    ],
)
def test_a_move_that_no_day_allows_says_which_day(cells, known, says):
    found = verdict(cells, known)
    assert found.kind == "wrong"
    assert says in " ".join(found.problems)


def test_a_move_says_all_the_placements_that_it_ends_also_one_whose_name_is_gone():
    (change,) = verdict(
        row(unit="fleet/deck", position="Deckhand"), placed(DUNLIN, place(3, 77, "2025-01-01", position=None))
    ).changes
    assert change == ("placed", "Deckhand, Dunlin, ?", "Deckhand, Deck from 14 May 2026")


@pytest.mark.parametrize(
    ("hired", "left", "ends"),
    [
        (None, None, False),
        ("2026-05-01", None, True),
        ("2026-05-02", None, False),
        ("2024-01-08", "2026-05-02", True),
        ("2024-01-08", "2026-05-01", False),
        ("2024-01-08", "2026-04-30", False),
    ],
)
def test_who_is_not_in_a_file_of_everybody_left_unless_they_are_still_to_come(hired, left, ends):
    known = placed(hired=hired, left=left)
    found = judge_missing(known, d("2026-05-01"))
    assert (found.kind, found.number, found.person) == ("ended" if ends else "same", "MS1", 9)
    if ends:
        before = "2 May 2026" if left else ""
        assert (found.changes, found.hired, found.left) == (
            (("last day", before, "1 May 2026"),),
            known.hired,
            d("2026-05-01"),
        )
