from datetime import date, timedelta
from itertools import product

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stepladder.core.board import Cell, Membership, board_counts, people_counts, percent
from stepladder.core.columns import (
    NO_DAY,
    RANK,
    LinkColumns,
    ReasonColumns,
    RequirementColumns,
    WaiverColumns,
    requirements_on,
)
from stepladder.core.days import FOREVER, Period, Span
from stepladder.core.requirements import WORST_FIRST, Reason, Status, merge, reason_status
from stepladder.core.validity import Completion, Terms, TermsHistory, chain, link_on

BASE = date(2026, 1, 1)


@pytest.mark.parametrize(
    ("part", "whole", "shown"),
    [(399, 400, 99), (1, 300, 1), (0, 3, 0), (3, 3, 100), (1, 2, 50), (1, 8, 13), (0, 0, None)],
)
def test_rates_are_whole_and_100_means_all(part, whole, shown):
    assert percent(part, whole) == shown


def test_the_two_rates_of_a_cell():
    counts = dict.fromkeys(WORST_FIRST, 0) | {"lapsed": 1, "overdue": 1, "in grace": 1, "current": 5, "waived": 2}
    cell = Cell(tuple(counts[s] for s in WORST_FIRST))
    assert (cell.all, cell.covered, cell.late) == (10, 5, 2)
    assert (cell.covered_rate, cell.on_time_rate) == (63, 80)
    assert Cell((0,) * 8).covered_rate is None


def ordinal(day: date | None) -> int:
    return NO_DAY if day is None else day.toordinal()


def columns(kind, rows):
    """The rows as arrays; all of course 1, of an assignment, and always known, unless a row says otherwise."""
    always = {"course": 1, "assignment": 1, "known_from": 1, "known_to": NO_DAY}
    return kind(
        **{
            name: np.array([(always | row)[name] for row in rows], dtype=bool if name == "mandatory" else np.int64)
            for name in kind.__dataclass_fields__
        }
    )


def build(cases):
    """Columns from cases of (person, reasons, links, waivers)."""
    reasons = [
        {
            "person": person,
            "first": ordinal(r.days.first),
            "last": ordinal(r.days.last),
            "opened": ordinal(r.opened),
            "due": ordinal(r.due),
            "notice": r.notice_days,
            "taken_from": r.taken_on_or_after.toordinal() if r.taken_on_or_after else 0,
            "mandatory": r.mandatory,
        }
        for person, rs, _, _ in cases
        for r in rs
    ]
    links = [
        {
            "person": person,
            "first": ordinal(link.first),
            "taken": ordinal(link.taken),
            "valid_until": ordinal(link.valid_until),
            "window": link.terms.window_days,
            "grace": link.terms.grace_days,
        }
        for person, _, ls, _ in cases
        for link in ls
    ]
    waivers = [
        {"person": person, "first": ordinal(span.first), "last": ordinal(span.last)}
        for person, _, _, spans in cases
        for span in spans
    ]
    return columns(ReasonColumns, reasons), columns(LinkColumns, links), columns(WaiverColumns, waivers)


def day(n):
    return BASE + timedelta(days=n)


day_numbers = st.integers(0, 120)
some_spans = st.builds(
    lambda a, n: Span(day(a), FOREVER if n is None else day(a + n)),
    day_numbers,
    st.one_of(st.none(), st.integers(0, 60)),
)
some_reasons = st.builds(
    lambda span, back, due, mandatory, taken: Reason(
        span,
        span.first - timedelta(days=back),
        None if due is None else day(due),
        mandatory,
        taken_on_or_after=None if taken is None else day(taken),
    ),
    some_spans,
    st.integers(0, 20),
    st.one_of(st.none(), day_numbers),
    st.booleans(),
    st.one_of(st.none(), day_numbers),
)
some_links = st.builds(
    lambda days_, v, w, g: chain(
        [Completion(day(n)) for n in days_], TermsHistory.always(Terms(Period(days=v) if v else None, w, g))
    ),
    st.lists(day_numbers, max_size=3),
    st.one_of(st.none(), st.integers(10, 60)),
    st.integers(0, 9),
    st.integers(0, 20),
)


def one_by_one(cases, on):
    """The requirements of each person by the rules of one, in the order of people."""
    found = []
    for p, reasons, links, waivers in cases:
        one = merge(
            [(i, reason_status(r, link_on(links, on), waivers, day=on)) for i, r in enumerate(reasons) if on in r.days]
        )
        if one:
            until = ordinal(one.valid_until) if one.valid_until else 0
            days = (ordinal(one.due), ordinal(one.opened), until, ordinal(one.needed_by))
            found.append((p, one.status, one.mandatory, *days))
    return found


def at_once(columns_of_all, on):
    got = requirements_on(*columns_of_all, day=on, known_on=on)
    return [
        (int(p), WORST_FIRST[int(r)], bool(m), *map(int, days))
        for p, r, m, *days in zip(
            *(got.person, got.rank, got.mandatory, got.due, got.opened, got.valid_until, got.needed_by), strict=True
        )
    ]


@settings(max_examples=200)
@given(
    st.lists(
        st.tuples(st.lists(some_reasons, min_size=1, max_size=3), some_links, st.lists(some_spans, max_size=3)),
        max_size=4,
    ),
    day_numbers,
)
def test_for_everybody_at_once_gives_the_same_as_one_by_one(people, number):
    cases = [(i + 1, *rest) for i, rest in enumerate(people)]
    assert at_once(build(cases), day(number)) == one_by_one(cases, day(number))


def test_on_each_day_around_every_boundary_too():
    asked = Reason(Span(day(5), day(110)), day(5), day(25))
    again = Reason(Span(day(40)), day(40), day(60), mandatory=False, taken_on_or_after=day(20))
    # What is valid to the day before this one opens, to that day and to the next.
    opens = Reason(Span(day(40)), day(40), day(60))
    terms = TermsHistory.always(Terms(Period(days=30), 5, 10))
    all_taken = ((), (0,), (9,), (10,), (11,), (20,), (8, 36), (10, 75))
    held = [chain([Completion(day(n)) for n in taken], terms) for taken in all_taken]
    for_ever = chain([Completion(day(30))], TermsHistory.always(Terms(None)))
    waivers = ([], [Span(day(24), day(30))], [Span(day(24), day(30)), Span(day(31), day(50))], [Span(day(60))])
    cases = [
        (number, reasons, links, waived)
        for number, (reasons, links, waived) in enumerate(
            product(([asked], [asked, again], [again], [opens]), [*held, for_ever], waivers), 1
        )
    ]
    everybody = build(cases)
    statuses = set()
    for number in range(121):
        expected = one_by_one(cases, day(number))
        assert at_once(everybody, day(number)) == expected
        statuses |= {status for _, status, *_ in expected}
    assert statuses == set(WORST_FIRST)


def test_a_row_counts_only_while_it_is_known():
    reason = Reason(Span(BASE), BASE, day(10))
    reasons, links, waivers = build([(1, [reason], [], [])])
    learned = ReasonColumns(**{**reasons.__dict__, "known_from": np.array([day(5).toordinal()])})
    assert len(requirements_on(learned, links, waivers, day=day(3), known_on=day(4))) == 0
    assert len(requirements_on(learned, links, waivers, day=day(3), known_on=day(5))) == 1
    taken_back = ReasonColumns(**{**reasons.__dict__, "known_to": np.array([day(5).toordinal()])})
    assert len(requirements_on(taken_back, links, waivers, day=day(3), known_on=day(4))) == 1
    assert len(requirements_on(taken_back, links, waivers, day=day(3), known_on=day(5))) == 0


def test_a_waiver_and_a_link_count_only_while_they_are_known():
    reason = Reason(Span(BASE), BASE, day(10))
    links = chain([Completion(day(1))], TermsHistory.always(Terms(Period(days=30))))
    reasons, known_links, waivers = build([(1, [reason], links, [Span(day(5), day(40))])])
    for name, rows in (("waived", waivers), ("current", known_links)):
        known = type(rows)(**{**rows.__dict__, "known_from": np.array([day(7).toordinal()])})
        nothing = known_links.where(known_links.person == 0)
        both = (nothing, known) if name == "waived" else (known, waivers.where(waivers.person == 0))
        found = [
            WORST_FIRST[int(requirements_on(reasons, *both, day=day(20), known_on=day(k)).rank[0])] for k in (6, 7)
        ]
        assert found == ["overdue", name]


def test_a_completion_of_the_first_day_that_counts_counts():
    links = chain([Completion(day(10))], TermsHistory.always(Terms(Period(days=30))))
    for taken_from, status in ((day(10), "current"), (day(11), "overdue")):
        reason = Reason(Span(BASE), BASE, day(15), taken_on_or_after=taken_from)
        found = requirements_on(*build([(1, [reason], links, [])]), day=day(20), known_on=day(20))
        assert [WORST_FIRST[int(rank)] for rank in found.rank] == [status]


def test_the_rows_of_some_people_are_replaced_by_others():
    reason = Reason(Span(BASE), BASE, day(10))
    old, new = (build([(p, [reason], [], []) for p in people])[0] for people in ((1, 2, 3), (2, 4)))
    rows = old.replaced([2, 3, 4], new)
    assert rows.person.tolist() == [1, 2, 4]
    assert rows.due.tolist() == [day(10).toordinal()] * 3


def test_requirements_are_ordered_by_person_and_course_and_completions_are_of_their_own():
    reason = Reason(Span(BASE), BASE, day(10))
    held = chain([Completion(day(1))], TermsHistory.always(Terms(Period(days=30))))
    of_one, links, waivers = build([(2, [reason], [], [Span(day(0), day(30))]), (1, [reason], held, [])])
    of_two = ReasonColumns(**{**of_one.__dict__, "course": np.array([2, 2])})
    found = requirements_on(ReasonColumns.all_of([of_two, of_one]), links, waivers, day=day(5), known_on=day(5))
    assert [
        (p, c, WORST_FIRST[r])
        for p, c, r in zip(found.person.tolist(), found.course.tolist(), found.rank.tolist(), strict=True)
    ] == [(1, 1, "current"), (1, 2, "due soon"), (2, 1, "waived"), (2, 2, "due soon")]


def test_what_others_have_in_courses_that_nobody_is_asked_for_covers_nothing():
    reason = Reason(Span(BASE), BASE, day(10))
    held = chain([Completion(day(1))], TermsHistory.always(Terms(Period(days=30))))
    asked, links, waivers = build([(2, [reason], [], []), (1, [], held, [Span(day(0), day(30))])])
    # Numbers that would be one key if only the courses asked for made its base.
    of_three = [type(rows)(**{**rows.__dict__, "course": np.array([3])}) for rows in (links, waivers)]
    found = requirements_on(asked, *of_three, day=day(5), known_on=day(5))
    assert [WORST_FIRST[int(rank)] for rank in found.rank] == ["due soon"]


def test_a_person_counts_once_in_every_unit_they_roll_up_to():
    reason = Reason(Span(BASE), BASE, day(10))
    got = requirements_on(*build([(1, [reason], [], []), (2, [reason], [], [])]), day=day(20), known_on=day(20))

    assert got.where(got.person == 2).person.tolist() == [2]
    # Units 1 and 2 below 0; the first person is in both of them.
    members = Membership(np.array([1, 1, 2]), np.array([1, 2, 1]), np.array([-1, 0, 0]))
    assert people_counts(members).tolist() == [2, 2, 1]
    late = board_counts(got, members, np.array([1]))[:, 0, RANK[Status.OVERDUE]]
    assert late.tolist() == [2, 2, 1, 2]
    nobody = Membership(np.array([3]), np.array([0]), np.array([-1]))
    assert board_counts(got, nobody, np.array([1]))[:, 0].sum(axis=1).tolist() == [0, 2]
    assert board_counts(got, members, np.array([2, 5])).sum() == 0
    assert board_counts(got, members, np.array([], dtype=int)).shape == (4, 0, 8)


@given(st.data())
def test_rolling_up_is_counting_each_person_once_in_every_unit_above(data):
    parent = [-1, *(data.draw(st.integers(-1, n)) for n in range(data.draw(st.integers(0, 8))))]
    pairs = data.draw(st.sets(st.tuples(st.integers(1, 6), st.integers(0, len(parent) - 1)), max_size=12))
    asked = sorted(data.draw(st.sets(st.tuples(st.integers(1, 7), st.integers(1, 3)), max_size=15)))
    ranks = [(p * 3 + c) % 8 for p, c in asked]
    zeros = np.zeros(len(asked), dtype=np.int32)
    person, course = (np.array([row[n] for row in asked], dtype=np.int32) for n in (0, 1))
    columns = RequirementColumns(person, course, np.array(ranks, dtype=np.int8), zeros > 0, *[zeros] * 4)
    members = Membership(
        *(np.array([pair[n] for pair in sorted(pairs)], dtype=np.int32) for n in (0, 1)), np.array(parent)
    )

    def above(unit):
        return {unit} | (above(parent[unit]) if parent[unit] >= 0 else set())

    reached = {(p, u) for p, own in pairs for u in above(own)}
    counts = board_counts(columns, members, np.array([1, 3]))
    for unit, (at, key), rank in product(range(len(parent)), enumerate((1, 3)), range(8)):
        here = sum((p, unit) in reached and (c, r) == (key, rank) for (p, c), r in zip(asked, ranks, strict=True))
        assert counts[unit, at, rank] == here
    assert counts[-1].sum() == sum(course in (1, 3) for _, course in asked)
    assert people_counts(members).tolist() == [len({p for p, u in reached if u == unit}) for unit in range(len(parent))]
