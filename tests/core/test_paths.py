"""What a path asks of its courses, how long it holds, and what waits for what."""

import pytest

from stepladder.core.days import FOREVER, Span
from stepladder.core.paths import Awaited, Plan, Stage, path_link, stage_reasons, waits_for
from stepladder.core.requirements import Reason
from stepladder.core.validity import Link, Terms
from tests.factories import d

FIRE, LINES, CROWD = 1, 2, 3


def plan(*windows, in_order=True):
    courses = [(FIRE,), (LINES, CROWD)]
    return Plan(tuple(Stage(own, days) for own, days in zip(courses, windows, strict=True)), in_order)


def reason(due="2027-06-01"):
    return Reason(Span(d("2027-03-01"), FOREVER), d("2027-03-01"), d(due) if due else None)


def dues(path, asked, leave=()):
    return {course: found.due for course, found in stage_reasons(path, asked, leave)}


@pytest.mark.parametrize(
    ("windows", "due", "fire", "crowd"),
    [
        ((30, 60), "2027-06-01", "2027-03-31", "2027-04-30"),
        # A stage without a window is due with the path, and none is due after it.
        ((30, None), "2027-06-01", "2027-03-31", "2027-06-01"),
        ((30, 200), "2027-06-01", "2027-03-31", "2027-06-01"),
        # A path without a day, which only a suggestion has, still has its windows.
        ((30, None), None, "2027-03-31", None),
    ],
)
def test_a_course_is_due_at_the_end_of_its_stages_window_never_after_the_path(windows, due, fire, crowd):
    found = dues(plan(*windows), reason(due))
    assert found == {FIRE: d(fire), LINES: d(crowd) if crowd else None, CROWD: d(crowd) if crowd else None}


def test_leave_pushes_a_stage_out_and_without_an_end_it_has_no_day():
    away = [Span(d("2027-03-10"), d("2027-03-19"))]
    assert dues(plan(30, None), reason(), away)[FIRE] == d("2027-04-10")
    endless = [Span(d("2027-03-10"), FOREVER)]
    assert dues(plan(30, None), reason(None), endless)[FIRE] is None
    # The path's own day stands all the same: no course of it is due later, or never.
    assert set(dues(plan(30, None), reason(), endless).values()) == {d("2027-06-01")}


def link(until, window=30, grace=0):
    return Link(d("2026-06-01"), d("2026-06-01"), d(until), Terms(None, window, grace), d("2026-06-01"))


def test_a_path_holds_until_the_earliest_expiry_with_the_window_and_grace_of_that_course():
    held = {FIRE: link("2027-05-01", 60, 14), LINES: link("2028-01-01"), CROWD: link("2027-09-01")}
    found = path_link(plan(None, None), held, ())
    assert (found.valid_until, found.terms.window_days, found.terms.grace_days) == (d("2027-05-01"), 60, 14)
    # Of two that expire on a day, the one that can be renewed sooner.
    both = {FIRE: link("2027-05-01", 10), LINES: link("2027-05-01", 60), CROWD: link("2027-05-01", 20)}
    assert path_link(plan(None, None), both, ()).terms.window_days == 60
    # Waived courses are left out.
    assert path_link(plan(None, None), held, {FIRE}).valid_until == d("2027-09-01")
    assert path_link(plan(None, None), held | {LINES: None}, ()) is None
    assert path_link(plan(None, None), {}, {FIRE, LINES, CROWD}) is None


def test_a_stage_waits_for_those_before_it_where_they_have_an_order():
    assert waits_for(plan(None, None), CROWD, set()) == [Awaited((FIRE,))]
    assert waits_for(plan(None, None), CROWD, {FIRE}) == []
    assert waits_for(plan(None, None), FIRE, set()) == []
    assert waits_for(plan(None, None, in_order=False), CROWD, set()) == []
    assert waits_for(plan(None, None), 99, set()) == []


KNOTS, BOATS, SPLICES = 4, 5, 6
OF_CHOICE = Plan((Stage((FIRE,), 30), Stage((LINES,), 60, (KNOTS, BOATS, SPLICES), 2), Stage((CROWD,))))


def test_electives_are_asked_by_the_path_alone_and_those_that_last_longest_count():
    assert dues(OF_CHOICE, reason()).keys() == {FIRE, LINES, CROWD}
    held = {FIRE: link("2028-05-01"), LINES: link("2028-01-01"), CROWD: link("2028-09-01"), KNOTS: link("2027-03-01")}
    assert path_link(OF_CHOICE, held, ()) is None
    held[BOATS] = link("2027-09-01")
    assert path_link(OF_CHOICE, held, ()).valid_until == d("2027-03-01")
    # The third that was done outlasts the first: that one counts no more.
    held[SPLICES] = link("2027-12-01", 45)
    assert path_link(OF_CHOICE, held, ()).valid_until == d("2027-09-01")
    # What is waived is left out: two of the two that are left; of one that is left, that one.
    assert path_link(OF_CHOICE, held, {BOATS}).valid_until == d("2027-03-01")
    assert path_link(OF_CHOICE, held, {BOATS, KNOTS}).terms.window_days == 45
    assert path_link(OF_CHOICE, held, {BOATS, KNOTS, SPLICES}).valid_until == d("2028-01-01")


def test_a_later_stage_waits_for_as_many_electives_as_are_asked():
    assert waits_for(OF_CHOICE, CROWD, {FIRE, KNOTS}) == [Awaited((LINES,)), Awaited((BOATS, SPLICES), 1)]
    assert waits_for(OF_CHOICE, CROWD, {FIRE, LINES, KNOTS, BOATS}) == []
    # An elective waits as its stage does.
    assert waits_for(OF_CHOICE, BOATS, set()) == [Awaited((FIRE,))]
