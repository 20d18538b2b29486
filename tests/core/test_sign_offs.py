"""Check lists, what makes them done and from when, and what is wrong with a sign-off. Rule: 6."""

from datetime import UTC, date, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.sign_offs import (
    BadCheckList,
    CheckList,
    Criterion,
    Said,
    Seen,
    drawn_or_typed,
    enough,
    faults_of,
    in_words,
    kept,
    left_of,
    made_true_by,
    moved,
    problems_of,
    read_check_list,
)

ROWS = tuple(Criterion(key, f"Does {key}", "", key in "ab") for key in "abcdef")
ALL, FOUR = CheckList(ROWS), CheckList(ROWS, 4)
TODAY = date(2027, 3, 10)


def seen(day, met, hour=9):
    return Seen(date(2027, 3, day), datetime(2027, 3, day, hour, tzinfo=UTC), frozenset(met))


@pytest.mark.parametrize(
    ("check_list", "met", "left"),
    [
        (ALL, "abcde", 1),
        (ALL, "abcdef", 0),
        (FOUR, "abcd", 0),
        # Four were met, and one of those that must be is not.
        (FOUR, "acdef", 1),
        (FOUR, "cdef", 2),
        (FOUR, "", 4),
        # What is no criterion any more counts for nothing.
        (FOUR, "abcx", 1),
    ],
)
def test_all_or_so_many_with_those_that_must_be(check_list, met, left):
    assert left_of(check_list, met) == left
    assert enough(check_list, met) == (left == 0)


def test_nothing_to_be_seen_is_never_done():
    assert not enough(CheckList(), "")


@given(st.sets(st.sampled_from("abcdef")), st.sets(st.sampled_from("abcdef")))
def test_what_was_met_stays_met(first, second):
    assert left_of(FOUR, first | second) <= left_of(FOUR, first)


def test_it_counts_from_the_day_on_which_enough_was_met_in_the_order_of_the_days():
    # Signed in another order than seen: what was seen on the 3rd was signed last.
    late, early, last = seen(8, "cd"), seen(3, "ab"), seen(9, "ef")
    assert made_true_by(FOUR, [late, last, early]) == late
    assert made_true_by(ALL, [late, last, early]) == last
    assert made_true_by(ALL, [late, early]) is None
    # Of two of a day the later one.
    assert made_true_by(FOUR, [seen(3, "ab", 15), seen(3, "cd", 9)]) == seen(3, "ab", 15)


def test_what_keeps_it_from_being_released():
    assert problems_of(ALL) == problems_of(FOUR) == []
    assert "nothing to be seen" in problems_of(CheckList())[0]
    assert problems_of(CheckList(ROWS, 7)) == ["7 criteria are needed, and there are 6"]
    assert problems_of(CheckList(ROWS, 1)) == ["2 criteria must be met in any case, and only 1 are needed"]
    assert (in_words(ALL), in_words(FOUR)) == ("all 6", "4 of 6, 2 of them in any case")


def said(**more):
    usual = {
        "day": TODAY,
        "today": TODAY,
        "opened": TODAY - timedelta(days=60),
        "reason": "",
        "minutes": 20,
        "has_photo": False,
        "is_signed": True,
        "is_signed_by_learner": True,
        "met": frozenset("ab"),
        "not_yet": frozenset(),
    }
    return Said(**{**usual, **more})


def days_ago(days):
    return TODAY - timedelta(days=days)


@pytest.mark.parametrize(
    ("more", "wrong"),
    [
        ({}, set()),
        ({"day": days_ago(14), "reason": "No line for a week"}, set()),
        ({"day": days_ago(1), "reason": " "}, {"reason"}),
        ({"day": days_ago(15), "reason": "Forgotten"}, {"day"}),
        ({"day": days_ago(-1)}, {"day"}),
        ({"day": days_ago(3), "reason": "x", "opened": days_ago(2)}, {"day"}),
        ({"met": frozenset()}, {"met"}),
        ({"met": frozenset(), "not_yet": frozenset("c")}, set()),
        ({"met": frozenset("ax")}, {"met"}),
        ({"not_yet": frozenset("a")}, {"met"}),
        ({"minutes": 0}, {"minutes"}),
        ({"is_signed": False, "is_signed_by_learner": False}, {"signature", "signature_of_learner"}),
    ],
)
def test_what_is_wrong_is_said_at_its_field(more, wrong):
    assert set(faults_of(FOUR, said(**more))) == wrong


def test_a_photo_is_asked_for_where_it_would_be_done():
    asks = CheckList(ROWS, 2, asks_photo=True)
    assert set(faults_of(asks, said())) == {"photo"}
    assert faults_of(asks, said(met=frozenset("a"))) == {}
    assert faults_of(asks, said(has_photo=True)) == {}
    # In several looks it is owed by the one that makes it done, whatever that one saw itself.
    assert set(faults_of(asks, said(met=frozenset("a"), met_before=frozenset("b")))) == {"photo"}


def test_it_is_kept_and_read_as_it_was_and_what_is_none_is_refused():
    assert read_check_list(kept(FOUR)) == FOUR
    assert read_check_list({"criteria": [{"key": "a", "text": "  Two \n words "}]}).criteria[0].text == "Two words"
    for raw in (
        {"criteria": "x"},
        {"criteria": [{"key": "", "text": "x"}]},
        {"criteria": [{"key": "a", "text": " "}]},
        {"criteria": [{"key": "a", "text": "x" * 301}]},
        {"criteria": [{"key": "a", "text": "x"}] * 2},
        {"criteria": [{"key": str(n), "text": "x"} for n in range(61)]},
        {"needed": "9" * 30},
        {"minutes": 0},
        {"days_back": 366},
    ):
        with pytest.raises(BadCheckList):
            read_check_list(raw)
    assert [one.key for one in moved(ALL, "a", 2).criteria] == list("bcadef")
    assert moved(ALL, "gone", 1) == ALL


def test_a_signature_is_strokes_or_a_name_and_nothing_else():
    strokes = [[[n * 10, 200] for n in range(8)]]
    assert drawn_or_typed(strokes) == strokes
    assert drawn_or_typed([[[-5, 500]] * 6]) == [[[0, 400]] * 6]
    assert drawn_or_typed(" Rhea  Wolff ") == "Rhea Wolff"
    # A dot is no signature.
    assert drawn_or_typed([[[1, 1]]]) is drawn_or_typed(None) is drawn_or_typed("  ") is None
    for wrong in (
        7,
        [7],
        [[7]],
        [[[1]]],
        [[[1, "2"]]],
        [[[1, 9999]]],
        [[[1, 1]]] * 81,
        [[[1, 1]] * 4001],
        [[[True, 1]]],
    ):
        with pytest.raises(BadCheckList):
            drawn_or_typed(wrong)
