from dataclasses import replace
from datetime import date, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.charts import DatedChart, Tree
from stepladder.core.days import FOREVER, Calendar, Period, Span
from stepladder.core.equivalents import cycle_in, satisfied_by
from stepladder.core.knowledge import over_time
from stepladder.core.reach import InUnit, PersonFacts, Placement, Reach, World
from stepladder.core.requirements import (
    WORST_FIRST,
    AssignmentRule,
    Due,
    Reason,
    ReasonStatus,
    Status,
    due_day,
    merge,
    needed_by,
    reason_status,
    reasons_for,
)
from stepladder.core.validity import Completion, Terms, TermsHistory, chain, link_on

CALENDAR = Calendar()


def d(text: str) -> date:
    return date.fromisoformat(text)


def due(text: str) -> Due:
    if text == "end of quarter":
        return Due(trigger="quarter")
    if "+" in text:
        trigger, _, after = text.partition(" + ")
        return Due(trigger=trigger, after=Period.parse(after))
    return Due(day=d(text))


@pytest.mark.parametrize(
    ("what", "trigger", "opened", "leave", "expected"),
    [
        ("2027-04-01", "2027-03-25", "2027-03-25", [], "2027-04-01"),
        ("2027-04-01", "2027-03-01", "2027-03-30", [], "2027-04-13"),
        ("2027-02-01", "2027-03-01", "2027-03-01", [], "2027-03-15"),
        ("hire + 0 days", "2027-05-03", "2027-05-03", [], "2027-05-03"),
        ("hire + 30 days", "2019-02-01", "2027-01-01", [], "2027-01-15"),
        ("end of quarter", "2027-01-01", "2027-06-28", [], "2027-07-12"),
        (
            "opening + 10 days",
            "2027-03-01",
            "2027-03-01",
            [("2027-03-01", "2027-03-05"), ("2027-03-14", "2027-03-15")],
            "2027-03-18",
        ),
    ],
)
def test_due_day(what, trigger, opened, leave, expected):
    found = due_day(
        due(what),
        start=d(trigger),
        opened=d(opened),
        hired=d(trigger),
        placed=None,
        leave=[Span(d(a), d(b)) for a, b in leave],
        notice_days=14,
        calendar=CALENDAR,
    )
    assert found == d(expected)


def test_leave_without_an_end_leaves_no_due_day_yet():
    found = due_day(
        due("opening + 10 days"),
        start=d("2027-03-01"),
        opened=d("2027-03-01"),
        hired=d("2027-03-01"),
        placed=None,
        leave=[Span(d("2027-03-09"), FOREVER)],
        notice_days=14,
        calendar=CALENDAR,
    )
    assert found is None


WORLD = World(units=DatedChart.always(Tree({1: None, 2: 1, 3: None})), positions=DatedChart([]))
FLEET = Reach(InUnit(1))


def person(*spans, hired="2020-01-01", left=None, unit=2):
    placements = tuple(Placement(unit, None, Span(d(a), d(b) if b else FOREVER)) for a, b in spans)
    return PersonFacts(1, d(hired), d(left) if left else None, placements)


def reasons(rule, who):
    return reasons_for(rule, FLEET, who, WORLD, leave=[], calendar=CALENDAR)


STANDING = AssignmentRule(start=d("2027-01-10"), due=Due(trigger="opening", after=Period(days=20)))


def test_back_within_30_days_gets_the_old_opening_and_due_day():
    back = reasons(STANDING, person(("2026-06-01", "2027-03-01"), ("2027-03-31", None)))
    assert [(r.days.first, r.opened, r.due) for r in back] == [
        (d("2027-01-10"), d("2027-01-10"), d("2027-01-30")),
        (d("2027-03-31"), d("2027-01-10"), d("2027-01-30")),
    ]


def test_back_on_the_31st_day_is_a_new_start():
    back = reasons(STANDING, person(("2026-06-01", "2027-03-01"), ("2027-04-01", None)))
    assert (back[1].opened, back[1].due) == (d("2027-04-01"), d("2027-04-21"))


def test_days_before_the_start_never_count():
    assert [r.opened for r in reasons(STANDING, person(("2026-06-01", "2027-01-09"), ("2027-02-01", None)))] == [
        d("2027-02-01")
    ]


def test_a_one_off_takes_its_people_once_and_only_leaving_ends_it():
    rule = AssignmentRule(start=d("2027-01-10"), due=Due(day=d("2027-04-01")), one_off=True)
    moved = reasons(rule, person(("2026-06-01", "2027-02-01"), left="2027-05-05"))
    assert [r.days for r in moved] == [Span(d("2027-01-10"), d("2027-05-05"))]
    assert reasons(rule, person(("2027-01-11", None))) == []
    back = reasons(rule, person(("2026-06-01", "2027-02-01"), ("2027-05-01", None)))
    assert [r.days.first for r in back] == [d("2027-01-10")]


def test_the_placement_that_brings_someone_in_can_be_the_trigger():
    rule = AssignmentRule(start=d("2026-01-01"), due=Due(trigger="placement", after=Period(days=14)))
    assert [r.due for r in reasons(rule, person(("2027-02-01", None)))] == [d("2027-02-15")]
    # Also where it began before the assignment did; then there is the notice.
    later = AssignmentRule(start=d("2027-03-01"), due=Due(trigger="placement", after=Period(days=30)))
    assert [r.due for r in reasons(later, person(("2027-02-01", None)))] == [d("2027-03-15")]


TERMS = TermsHistory.always(Terms(Period.parse("12 months"), 60, 30))


@pytest.mark.parametrize(
    ("opened", "due", "completion", "waiver", "day", "status"),
    [
        ("2026-01-01", "2026-03-31", "2025-01-01", None, "2026-01-01", "renew"),
        ("2026-01-01", "2026-03-31", "2025-01-01", None, "2026-01-31", "in grace"),
        ("2026-01-01", "2026-03-31", "2025-01-01", None, "2026-02-01", "lapsed"),
        ("2026-01-02", "2026-03-31", "2025-01-01", None, "2026-02-01", "to do"),
        ("2026-01-02", "2026-03-31", None, None, "2026-03-31", "due soon"),
        ("2026-01-02", "2026-03-31", None, None, "2026-03-17", "due soon"),
        ("2026-01-02", "2026-03-31", None, None, "2026-03-16", "to do"),
        ("2026-01-02", "2026-03-31", None, ("2026-03-15", "2026-04-30"), "2026-05-14", "due soon"),
        ("2026-01-02", "2026-03-31", None, ("2026-04-01", "2026-04-30"), "2026-05-01", "overdue"),
        ("2026-01-02", "2026-03-31", None, ("2026-03-15", "2026-04-30"), "2026-04-01", "waived"),
        ("2026-01-02", "2026-03-31", "2025-10-01", None, "2026-05-01", "current"),
        ("2025-01-01", "2026-03-31", "2025-01-01", ("2026-01-20", "2026-03-01"), "2026-03-15", "in grace"),
        ("2025-01-01", "2026-03-31", "2025-01-01", ("2026-01-20", "2026-03-01"), "2026-03-16", "lapsed"),
    ],
)
def test_status(opened, due, completion, waiver, day, status):
    reason = Reason(Span(d(opened)), d(opened), d(due))
    links = chain([Completion(d(completion))] if completion else [], TERMS)
    waivers = [Span(d(waiver[0]), d(waiver[1]))] if waiver else []
    assert reason_status(reason, link_on(links, d(day)), waivers, day=d(day)).status == status


@pytest.mark.parametrize(
    ("opened", "completion", "status", "needed"),
    [
        # Ran out before the opening: nothing excuses, the due day stands.
        ("2026-01-02", "2024-12-01", "to do", "2026-03-31"),
        ("2026-01-01", "2025-01-01", "in grace", "2026-01-31"),
        ("2026-01-02", "2025-02-01", "renew", "2026-03-03"),
        ("2026-01-02", None, "to do", "2026-03-31"),
    ],
)
def test_the_day_it_is_needed_by(opened, completion, status, needed):
    reason = Reason(Span(d(opened)), d(opened), d("2026-03-31"))
    links = chain([Completion(d(completion))] if completion else [], TERMS)
    found = reason_status(reason, link_on(links, d("2026-01-15")), [], day=d("2026-01-15"))
    assert (found.status, found.needed_by) == (status, d(needed))


def test_a_reason_beside_a_covered_one_is_needed_by_its_own_day():
    links = chain([Completion(d("2026-01-01"))], TERMS)
    covered = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-02-01"))
    anew = replace(covered, due=d("2026-06-01"), taken_on_or_after=d("2026-01-02"))
    day = d("2026-05-01")
    both = [(n, reason_status(reason, link_on(links, day), [], day=day)) for n, reason in enumerate((covered, anew))]
    merged = merge(both)
    assert merged is not None
    assert (merged.status, merged.due, merged.needed_by) == ("to do", d("2026-06-01"), d("2026-06-01"))
    assert (merged.valid_until, merged.grace_until) == (d("2027-01-01"), d("2027-01-31"))
    alone = merge(both[:1])
    assert alone is not None
    assert alone.needed_by == d("2027-01-31")


@pytest.mark.parametrize(
    ("waivers", "needed"),
    [
        ([("2026-03-01", "2026-03-31"), ("2026-03-05", "2026-04-05")], "2026-04-19"),
        ([("2026-03-05", "2026-04-05"), ("2026-03-01", "2026-03-31")], "2026-04-19"),
        # Moved into a further one it moves again, but never by one that ended before.
        ([("2026-03-01", "2026-03-31"), ("2026-04-10", "2026-04-20")], "2026-05-04"),
        ([("2026-03-16", "2026-03-31")], "2026-03-15"),
        ([("2026-03-15", "2026-03-15")], "2026-03-29"),
        ([("2026-03-01", None), ("2026-03-05", "2026-04-05")], None),
        ([("2026-03-01", "2026-03-31"), ("2026-04-14", None)], None),
    ],
)
def test_of_several_waivers_the_longest_that_applies_decides(waivers, needed):
    spans = [Span(d(a), d(b) if b else FOREVER) for a, b in waivers]
    assert needed_by(d("2026-03-15"), 14, spans) == (d(needed) if needed else FOREVER)


def test_a_due_day_inside_a_waiver_without_an_end_stays_to_do():
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-03-15"))
    waivers = [Span(d("2026-03-10"), FOREVER)]
    assert [reason_status(reason, None, waivers, day=d(day)).status for day in ("2026-03-09", "2026-03-10")] == [
        "to do",
        "waived",
    ]
    assert needed_by(d("2026-03-15"), 0, [Span(d("2026-03-01"), d("2026-03-31"))]) == d("2026-03-31")


@pytest.mark.parametrize(
    ("day", "status"),
    [
        ("2026-01-31", "current"),
        ("2026-02-01", "renew"),
        ("2026-04-02", "renew"),
        ("2026-04-03", "in grace"),
        ("2026-05-02", "in grace"),
        ("2026-05-03", "lapsed"),
    ],
)
def test_first_and_last_day_of_window_and_grace(day, status):
    reason = Reason(Span(d("2025-01-01")), d("2025-01-01"), d("2025-12-31"))
    links = chain([Completion(d("2025-04-02"))], TERMS)
    assert reason_status(reason, link_on(links, d(day)), [], day=d(day)).status == status


@pytest.mark.parametrize(("asked", "status"), [("2026-01-10", "current"), ("2026-01-11", "to do")])
def test_taken_on_or_after_includes_the_day_itself(asked, status):
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-03-31"), taken_on_or_after=d(asked))
    links = chain([Completion(d("2026-01-10"))], TERMS)
    assert reason_status(reason, link_on(links, d("2026-02-01")), [], day=d("2026-02-01")).status == status


@pytest.mark.parametrize(
    ("period", "opened", "expected"),
    [
        ("week", "2027-03-03", "2027-03-07"),
        ("month", "2027-02-10", "2027-02-28"),
        ("year", "2027-02-10", "2027-12-31"),
        # Who comes in late in the period after the assignment's start has the minimum notice.
        ("month", "2027-02-20", "2027-03-06"),
    ],
)
def test_ends_of_week_month_and_year(period, opened, expected):
    start = d(opened) if expected != "2027-03-06" else d("2027-01-01")
    found = due_day(
        Due(trigger=period),
        start=start,
        opened=d(opened),
        hired=d("2020-01-01"),
        placed=None,
        leave=[],
        notice_days=14,
        calendar=CALENDAR,
    )
    assert found == d(expected)


@pytest.mark.parametrize(
    ("placed", "expected"), [("2027-02-01", "2027-03-15"), ("2027-03-01", "2027-03-06"), (None, "2027-03-06")]
)
def test_minimum_notice_after_a_placement(placed, expected):
    """Who comes into the reach after the placement began, by another condition, has the notice."""
    found = due_day(
        due("placement + 5 days"),
        start=d("2027-01-01"),
        opened=d("2027-03-01"),
        hired=d("2020-01-01"),
        placed=d(placed) if placed else None,
        leave=[],
        notice_days=14,
        calendar=CALENDAR,
    )
    assert found == d(expected)


def test_what_was_taken_too_early_only_carries_the_chain():
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-03-31"), taken_on_or_after=d("2025-12-01"))
    links = chain([Completion(d("2025-02-01")), Completion(d("2026-01-10"))], TERMS)
    assert reason_status(reason, link_on(links, d("2026-01-05")), [], day=d("2026-01-05")).status == Status.TO_DO
    after = reason_status(reason, link_on(links, d("2026-01-10")), [], day=d("2026-01-10"))
    assert (after.status, after.valid_until) == (Status.CURRENT, d("2027-02-01"))


def standing(status, due="2027-04-01", opened="2027-01-01", mandatory=True):
    return ReasonStatus(Status(status), d(opened), d(due), mandatory=mandatory)


def test_a_suggestion_beside_a_mandatory_makes_nobody_late():
    merged = merge([(1, standing("overdue", "2027-03-01", mandatory=False)), (2, standing("to do"))])
    assert merged is not None
    assert (merged.status, merged.due, merged.mandatory, merged.reasons) == ("to do", d("2027-04-01"), True, (1, 2))


def test_of_several_that_are_not_covered_the_earliest_days_and_the_worst_status_speak():
    some = [
        ReasonStatus(
            Status.TO_DO, d("2027-01-05"), d("2027-05-01"), d("2026-12-01"), d("2026-12-31"), needed_by=d("2027-04-01")
        ),
        ReasonStatus(
            Status.OVERDUE,
            d("2027-01-01"),
            d("2027-03-01"),
            d("2027-06-01"),
            d("2027-07-01"),
            needed_by=d("2027-03-01"),
        ),
        ReasonStatus(Status.DUE_SOON, d("2027-01-09"), None),
    ]
    merged = merge(list(enumerate(some)))
    assert merged is not None
    assert (merged.status, merged.opened, merged.due, merged.needed_by) == (
        "overdue",
        d("2027-01-01"),
        d("2027-03-01"),
        d("2027-03-01"),
    )
    assert (merged.valid_until, merged.grace_until) == (d("2027-06-01"), d("2027-07-01"))
    assert merge([]) is None


def test_a_requirement_without_a_day_is_to_do_and_one_that_never_expires_is_current():
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), None)
    found = reason_status(reason, None, [], day=d("2029-01-01"))
    assert (found.status, found.due, found.needed_by) == ("to do", None, None)
    links = chain([Completion(d("2020-01-01"))], TermsHistory.always(Terms(window_days=60)))
    found = reason_status(reason, link_on(links, d("2029-01-01")), [], day=d("2029-01-01"))
    assert (found.status, found.needed_by) == ("current", FOREVER)


def test_the_due_day_is_the_earliest_of_those_not_covered():
    merged = merge([(1, standing("current", "2027-02-01")), (2, standing("to do", "2027-05-01", "2026-12-01"))])
    assert merged is not None
    assert (merged.status, merged.due, merged.opened) == ("to do", d("2027-05-01"), d("2026-12-01"))


reason_statuses = st.builds(
    ReasonStatus,
    st.sampled_from(WORST_FIRST),
    st.dates(),
    st.one_of(st.none(), st.dates()),
    mandatory=st.booleans(),
)


@given(
    st.lists(st.tuples(st.integers(1, 9), reason_statuses), max_size=5).flatmap(
        lambda x: st.tuples(st.just(x), st.permutations(x))
    )
)
def test_merging_does_not_depend_on_the_order(pair):
    assert merge(pair[0]) == merge(pair[1])


def test_due_2_15_done_2_10_recorded_3_05_revoked_4_01():
    """Both clocks: 02-20 was overdue as known then, current as known 03-10, overdue as known 04-02."""
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-02-15"))
    recorded, revoked = d("2026-03-05"), d("2026-04-01")

    def links_as_known(day):
        return chain([Completion(d("2026-02-10"))] if recorded <= day < revoked else [], TERMS)

    (known,) = over_time([recorded, revoked], links_as_known)
    assert (known.known_from, known.known_to) == (recorded, revoked)

    def status(known_on, day="2026-02-20"):
        links = [known.row] if known.known_from <= d(known_on) < known.known_to else []
        return reason_status(reason, link_on(links, d(day)), [], day=d(day)).status

    days = ("2026-02-20", "2026-03-04", "2026-03-05", "2026-03-10", "2026-03-31", "2026-04-01", "2026-04-02")
    assert [status(day) for day in days] == ["overdue"] * 2 + ["current"] * 3 + ["overdue"] * 2
    assert status("2026-03-10", "2026-02-09") == "due soon"


def test_rows_that_come_and_go_are_known_from_and_to():
    facts = {"a": ("2026-01-01", "2026-02-01"), "b": ("2026-01-01", None), "c": ("2026-02-01", None)}
    days = {d(day) for pair in facts.values() for day in pair if day}
    found = over_time(days, lambda k: [n for n, (a, b) in facts.items() if d(a) <= k and (b is None or k < d(b))])
    assert {k.row: (k.known_from, k.known_to) for k in found} == {
        "a": (d("2026-01-01"), d("2026-02-01")),
        "b": (d("2026-01-01"), FOREVER),
        "c": (d("2026-02-01"), FOREVER),
    }


def test_equivalents_chain_one_way_and_cycles_are_named():
    assert satisfied_by(1, {1: [2], 2: [3]}) == {1, 2, 3}
    assert satisfied_by(3, {1: [2], 2: [3]}) == {3}
    assert cycle_in({1: [2], 2: [3], 3: [2]}) == [2, 3, 2]
    assert cycle_in({1: [2, 3], 2: [3]}) is None


@given(st.integers(0, 400), st.integers(0, 60), st.integers(0, 60))
def test_a_later_day_is_never_better_while_nobody_learns(after, window, grace):
    reason = Reason(Span(d("2026-01-01")), d("2026-01-01"), d("2026-03-31"))
    links = chain([Completion(d("2025-06-01"))], TermsHistory.always(Terms(Period(12), window, grace)))
    order = [Status.CURRENT, Status.RENEW, Status.IN_GRACE, Status.LAPSED]
    day = d("2026-01-01") + timedelta(days=after)
    now = reason_status(reason, link_on(links, day), [], day=day).status
    then = reason_status(reason, link_on(links, day), [], day=day + timedelta(days=1)).status
    assert order.index(now) <= order.index(then)
