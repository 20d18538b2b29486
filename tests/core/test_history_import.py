"""Rows of a file of earlier training, each judged."""

from datetime import date
from fractions import Fraction

import pytest

from stepladder.core.history_import import HistoryWorld, RowVerdict, judge_rows, match_heads

WORLD = HistoryWorld(
    {"ms1": 1, "ms2": 2},
    {"fire": 10},
    {(1, 10, date(2025, 3, 1))},
    {(2, "first aid", date(2020, 5, 4))},
    date(2026, 5, 14),
    "day",
)
HEADS = ["Employee  number", "Training", "Date", "Expires", "Score, %", "School", "Colour"]


def judged(*cells):
    places, missing = match_heads(HEADS)
    assert missing == []
    rows = [list(cells) + [""] * (7 - len(cells))]
    return judge_rows(rows, [2], places, WORLD)[0]


def test_heads_are_known_by_other_names_and_what_is_missing_is_named():
    assert match_heads(HEADS)[0] == {"number": 0, "course": 1, "day": 2, "valid_until": 3, "score": 4, "provider": 5}
    assert match_heads(["Number", "Colour"])[1] == ["Course", "Completed on"]


def test_what_names_a_course_counts_and_all_else_stands_in_the_history():
    row = judged("MS1", "FIRE", "1/4/2025", "2026-04-01", "87,5 %", "Holm School")
    assert (row.verdict, row.person, row.course, row.day) == (RowVerdict.COUNTS, 1, 10, date(2025, 4, 1))
    assert (row.own_expiry, row.score, row.provider) == (date(2026, 4, 1), Fraction(7, 8), "Holm School")
    other = judged("ms2", "First aid", "1 May 2020")
    assert (other.verdict, other.course, other.title) == (RowVerdict.HISTORY, None, "First aid")


def test_what_is_there_already_is_not_recorded_once_more():
    assert judged("MS1", "Fire", "2025-03-01").verdict == RowVerdict.KNOWN
    assert judged("MS2", "first AID", "2020-05-04").verdict == RowVerdict.KNOWN
    places, _ = match_heads(HEADS)
    twice = judge_rows([["MS2", "Fire", "2025-01-01"], ["ms2", "fire", "1 Jan 2025"]], [4, 9], places, WORLD)
    assert [row.verdict for row in twice] == [RowVerdict.COUNTS, RowVerdict.KNOWN]
    assert twice[1].reason == "Row 4 of the file says the same."


@pytest.mark.parametrize(
    ("cells", "why"),
    [
        (("MS9", "Fire", "1 Mar 2025"), "There is nobody with the number “MS9”."),
        (("", "Fire", "1 Mar 2025"), "the number is empty"),
        (("MS1", "", "1 Mar 2025"), "It says no course"),
        (("MS1", "Fire", ""), "is no day of the calendar"),
        (("MS1", "Fire", "31 Feb 2025"), "is no day of the calendar"),
        (("MS1", "Fire", "15 May 2026"), "on a day to come"),
        (("MS1", "Fire", "1 Mar 2026", "28 Feb 2026"), "run out before"),
        (("MS1", "Fire", "2 Mar 2025", "", "good"), "Write it in per cent"),
        (("MS1", "Fire", "2 Mar 2025", "", "101"), "between 0 and 100"),
        (("MS1", "Fire", "2 Mar 2025", "", "nan"), "between 0 and 100"),
    ],
)
def test_a_row_that_cannot_be_recorded_says_why(cells, why):
    row = judged(*cells)
    assert (row.verdict, why in row.reason) == (RowVerdict.WRONG, True), row.reason
