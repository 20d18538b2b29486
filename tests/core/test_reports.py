"""Reports: groups, periods, figures, days taken. Rule: 16."""

from datetime import UTC, date, datetime, timedelta
from random import Random
from zoneinfo import ZoneInfo

import numpy as np
import pytest

from stepladder.core.charts import Branch, DatedChart
from stepladder.core.columns import NO_DAY, LinkColumns, ReasonColumns
from stepladder.core.days import FOREVER, Calendar, Span
from stepladder.core.reports import (
    NO_GROUP,
    Cells,
    Correlation,
    Count,
    Facts,
    Groups,
    Mean,
    Middle,
    PerHead,
    PersonCells,
    Placements,
    Rate,
    Sum,
    TooManyPeriods,
    days_taken,
    grouped,
    groups_of_codes,
    groups_through,
    nodes_over_time,
    period_codes,
    periods_of,
)
from stepladder.core.time_columns import StretchColumns, days_of_instants, seconds_by_day
from stepladder.core.time_spent import TimeSpan, by_day, without_overlaps


def a(*values):
    return np.array(values, dtype=np.int64)


def facts(people, days=None, **values):
    rows = len(people)
    day = a(*days) if days else np.full(rows, 100, dtype=np.int64)
    return Facts(np.arange(rows), a(*people), day, {name: np.array(column) for name, column in values.items()})


def cells_of(rows, *groupings):
    row, place, codes = grouped(groupings, len(rows))
    return Cells(rows, row, place, len(codes)), codes


def test_rates_are_ratios_of_sums_and_none_where_there_is_nothing():
    rows = facts([1, 2, 3, 4, 5, 6], covered=[True, True, True, False, True, False], waived=[False] * 6)
    rate = Rate("covered", "covered rate", part="covered")
    units, codes = cells_of(rows, groups_of_codes(a(7, 7, 7, 7, 8, 8)))
    found = dict(zip(codes, rate.values(units), strict=True))
    assert [(v.part, v.rows) for v in (found[7,], found[8,])] == [(3, 4), (1, 2)]
    whole = rate.values(cells_of(rows)[0])[0]
    # 3 of 4 and 1 of 2 are 4 of 6, not the mean of 75 % and 50 %.
    assert (whole.part, whole.rows) == (4, 6)
    assert rate.opened(rows).tolist() == [0, 1, 2, 3, 4, 5]
    assert rate.opened(rows, part=True).tolist() == [0, 1, 2, 4]
    nothing = Rate("waived", "waived", of="waived", part="covered").values(cells_of(rows)[0])[0]
    assert (nothing.number, nothing.rows) == (None, 0)


def test_a_person_counts_once_in_each_group_and_once_in_the_whole():
    rows = facts([1, 1, 1, 2, 0])
    people = Count("people", "people", once="person")
    by_course, codes = cells_of(rows, groups_of_codes(a(5, 5, 6, 6, 6)))
    assert {code: value.number for code, value in zip(codes, people.values(by_course), strict=True)} == {
        (5,): 1,
        (6,): 2,
    }
    assert people.values(cells_of(rows)[0])[0].number == 2
    # It opens a row of each, and none of nobody's.
    assert people.opened(rows).tolist() == [0, 3]


def test_two_groupings_meet_and_what_is_in_no_group_is_there_too():
    topics = groups_through(a(10, 11, 12), {10: [1, 2], 11: [2]})
    assert list(zip(topics.row.tolist(), topics.code.tolist(), strict=True)) == [(0, 1), (0, 2), (1, 2), (2, NO_GROUP)]
    row, place, codes = grouped([topics, groups_of_codes(a(0, 1, 1))], 3)
    assert [(int(r), codes[p]) for r, p in zip(row, place, strict=True)] == [
        (0, (1, 0)),
        (0, (2, 0)),
        (1, (2, 1)),
        (2, (NO_GROUP, 1)),
    ]
    # Two placements below one unit are one of it.
    assert Groups.of_pairs(a(0, 0), a(4, 4), 1).code.tolist() == [4]


def test_units_are_those_of_the_day_in_that_days_chart():
    """Dunlin (2) hangs under Fleet (1) up to day 50, then under Shore (3)."""
    day = date.fromordinal
    chart = DatedChart(
        [Branch(1, None), Branch(3, None), Branch(2, 1, Span(date.min, day(50))), Branch(2, 3, Span(day(51), FOREVER))]
    )
    placed = Placements(a(7, 7, 8), a(2, 3, 2), a(0, 0, 0), a(1, 60, 1), a(59, NO_DAY, NO_DAY))
    rows = facts([7, 7, 7, 8, 9], [50, 51, 60, 51, 51])
    row, place = placed.on_the_day(rows)
    assert list(zip(row.tolist(), place.tolist(), strict=True)) == [(0, 0), (1, 0), (2, 1), (3, 2)]
    tops = nodes_over_time(
        chart, rows.day, 3, lambda tree: {node: list(tree.upwards(node))[-1] for node in tree.parent}
    )
    codes = tops.at(rows.day[row], placed.unit[place])
    assert codes.tolist() == [1, 3, 3, 3]
    assert Groups.of_pairs(row, codes, len(rows)).code.tolist() == [1, 3, 3, 3, NO_GROUP]


def test_periods_follow_the_organisations_year_and_end_with_the_span():
    april = Calendar(first_month=4)
    today = date(2026, 5, 14)
    found = periods_of("quarter", date(2026, 2, 10), date(2026, 8, 1), today=today, calendar=april)
    assert [(p.first, p.last, p.day) for p in found] == [
        (date(2026, 2, 10), date(2026, 3, 31), date(2026, 3, 31)),
        (date(2026, 4, 1), date(2026, 6, 30), today),
        (date(2026, 7, 1), date(2026, 8, 1), date(2026, 8, 1)),
    ]
    days = [date(2026, 2, 9), date(2026, 2, 10), date(2026, 4, 1), date(2026, 8, 2)]
    assert period_codes(a(*(day.toordinal() for day in days)), found).tolist() == [NO_GROUP, 0, 1, NO_GROUP]
    with pytest.raises(TooManyPeriods, match="longer periods"):
        periods_of("week", date(2000, 1, 1), date(2026, 1, 1), today=today, calendar=april)


def test_scores_of_fewer_than_five_people_are_few_and_quartiles_lie_between_the_ranks():
    rows = facts([1, 2, 3, 4, 4], score=[0.5, 0.7, 0.9, 1.0, 1.0], taken=[1.0, 2.0, 3.0, 4.0, np.nan])
    few = Mean("score", "mean score", value="score").values(cells_of(rows)[0])[0]
    # Five rows, but four people.
    assert (few.is_few, few.number) == (True, None)
    five = facts([1, 2, 3, 4, 5], score=[0.5, 0.7, 0.9, 1.0, np.nan])
    assert Mean("score", "mean score", value="score").values(cells_of(five)[0])[0].is_few
    six = facts([1, 2, 3, 4, 5], score=[0.5, 0.7, 0.9, 1.0, 0.9])
    assert Mean("score", "mean score", value="score").values(cells_of(six)[0])[0].number == pytest.approx(0.8)
    middle = Middle("days", "days taken", value="taken").values(cells_of(rows)[0])[0]
    assert (middle.low, middle.number, middle.high, middle.rows) == (1.75, 2.5, 3.25, 4)


def test_hours_and_hours_a_head_count_everybody_who_is_there():
    rows = facts([1, 1, 2], seconds=[1800.0, 1800.0, 7200.0])
    cells = Cells(rows, np.arange(3), np.zeros(3, dtype=np.int64), 1, a(10))
    assert Sum("hours", "hours", value="seconds").values(cells)[0].number == 3.0
    assert PerHead("a_head", "hours a head", value="seconds").values(cells)[0].number == pytest.approx(0.3)
    nobody = Cells(rows, np.arange(3), np.zeros(3, dtype=np.int64), 1, a(0))
    assert PerHead("a_head", "hours a head", value="seconds").values(nobody)[0].number is None


def test_how_far_a_question_tells_apart_is_a_correlation_with_the_rest():
    """Marks 111, 110, 100, 000 of rules.md 7, and a fifth like the first so that five people answered."""
    marks = [(1, 1, 1), (1, 1, 0), (1, 0, 0), (0, 0, 0)]
    share = [m[0] for m in marks]
    rest = [(m[1] + m[2]) / 2 for m in marks]
    few = facts([1, 2, 3, 4], share=[float(s) for s in share], rest=rest)
    figure = Correlation("apart", "tells apart", value="share", other="rest")
    assert figure.values(cells_of(few)[0])[0].is_few
    twice = facts([1, 2, 3, 4, 5, 6, 7, 8], share=[float(s) for s in share] * 2, rest=rest * 2)
    assert figure.values(cells_of(twice)[0])[0].number == pytest.approx(0.522, abs=0.001)
    alike = facts([1, 2, 3, 4, 5], share=[1.0] * 5, rest=[0.5, 1.0, 0.0, 0.2, 0.1])
    assert figure.values(cells_of(alike)[0])[0].number is None


def test_adding_up_by_people_first_comes_to_the_same():
    dice = Random(16)
    rows = facts(
        sorted(dice.randint(1, 20) for _ in range(300)),
        late=[dice.random() < 0.3 for _ in range(300)],
        seconds=[1.0] * 300,
    )
    people = np.unique(rows.person)
    pairs = {(n, dice.randint(0, 3)) for n in range(len(people)) for _ in range(2)}
    of_people = Groups.of_pairs(a(*(p for p, _ in sorted(pairs))), a(*(c for _, c in sorted(pairs))), len(people))
    row, place, codes = grouped([of_people], len(people))
    quick = PersonCells(rows, row, place, len(codes), None, np.searchsorted(people, rows.person), len(people))
    whole = [
        (r, code) for r, person in enumerate(np.searchsorted(people, rows.person)) for p, code in pairs if p == person
    ]
    slow, slow_codes = cells_of(rows, Groups.of_pairs(a(*(r for r, _ in whole)), a(*(c for _, c in whole)), len(rows)))
    assert codes == slow_codes
    late = rows.values["late"]
    for once in ("", "person"):
        assert quick.number(late, once).tolist() == slow.number(late, once).tolist()
    assert quick.total(rows.values["seconds"], late).tolist() == slow.total(rows.values["seconds"], late).tolist()


def o(text):
    return date.fromisoformat(text).toordinal()


def reason(opened, last=NO_DAY, *, mandatory=True, taken_from=0):
    return {
        "person": 1,
        "course": 1,
        "first": o(opened),
        "last": last,
        "opened": o(opened),
        "mandatory": mandatory,
        "taken_from": taken_from,
    }


def reasons(*rows):
    whole = [{"assignment": 1, "due": NO_DAY, "notice": 14, "known_from": 0, "known_to": NO_DAY} | row for row in rows]
    return ReasonColumns(
        **{name: np.array([row[name] for row in whole]) for name in ReasonColumns.__dataclass_fields__}
    )


def links(*pairs):
    rows = [
        {
            "person": 1,
            "course": 1,
            "first": o(t),
            "taken": o(t),
            "valid_until": o(v),
            "window": 60,
            "grace": 0,
            "known_from": 0,
            "known_to": NO_DAY,
        }
        for t, v in pairs
    ]
    return LinkColumns(**{name: np.array([row[name] for row in rows]) for name in LinkColumns.__dataclass_fields__})


@pytest.mark.parametrize(
    ("asked", "held", "taken", "expected"),
    [
        ([reason("2026-01-01")], [("2026-01-21", "2027-01-21")], "2026-01-21", 20),
        # A renewal covers what was covered: it took no days.
        ([reason("2025-01-01")], [("2025-01-21", "2026-01-21"), ("2026-01-10", "2027-01-21")], "2026-01-10", None),
        # Nobody had asked.
        ([], [("2026-01-21", "2027-01-21")], "2026-01-21", None),
        # Taken before the opening, and valid on it: it covers it, in no days.
        ([reason("2026-03-01")], [("2026-01-21", "2027-01-21")], "2026-01-21", 0),
        # Run out before the opening: it covers nothing of it, and the next does.
        ([reason("2026-03-01")], [("2025-01-21", "2026-01-21"), ("2026-03-11", "2027-03-11")], "2026-03-11", 10),
        # The mandatory reason speaks, though the suggestion was opened first.
        (
            [reason("2026-01-01", mandatory=False), reason("2026-02-01")],
            [("2026-02-11", "2027-01-01")],
            "2026-02-11",
            10,
        ),
        # What counts only from a day on is covered by what is taken from it on.
        (
            [reason("2026-03-01", taken_from=o("2026-03-01"))],
            [("2026-01-21", "2027-01-21"), ("2026-03-05", "2027-03-05")],
            "2026-03-05",
            4,
        ),
        # After it was closed nobody asked any more.
        ([reason("2026-01-01", o("2026-01-10"))], [("2026-01-21", "2027-01-21")], "2026-01-21", None),
    ],
)
def test_days_taken_are_counted_from_the_opening_of_what_is_covered_first(asked, held, taken, expected):
    rows = reasons(*asked) if asked else ReasonColumns.none()
    found = days_taken(a(1), a(1), a(o(taken)), reasons=rows, links=links(*held), today=date(2026, 11, 30))[0]
    assert (None if np.isnan(found) else found) == expected


def test_time_of_everybody_is_reckoned_as_that_of_one():
    """The same stretches by both: no moment twice, divided at midnight, through a change of the clocks."""
    dice, zone = Random(7), ZoneInfo("Europe/London")
    start = datetime(2026, 10, 23, 12, tzinfo=UTC)
    people = {}
    for number in range(1, 200):
        begun = start + timedelta(seconds=dice.randint(0, 4 * 86400))
        # A session is the key of all who were there.
        key = number if number % 4 else -1 - number % 3
        span = TimeSpan(begun, begun + timedelta(seconds=dice.choice([0, 30, 600, 40_000])), key)
        people.setdefault(dice.randint(1, 6), []).append(span)

    def micros(instant):
        return round(instant.timestamp() * 1_000_000)

    rows = [(person, s.key, micros(s.start), micros(s.end)) for person, spans in people.items() for s in spans]
    dice.shuffle(rows)
    columns = StretchColumns(*(a(*column) for column in zip(*rows, strict=True)))
    person, key, day, seconds = seconds_by_day(columns, zone)
    expected = {
        (one, key, day.toordinal()): pytest.approx(spent)
        for one, spans in people.items()
        for (key, day), spent in by_day(without_overlaps(spans), zone).items()
    }
    assert (
        dict(zip(zip(person.tolist(), key.tolist(), day.tolist(), strict=True), seconds.tolist(), strict=True))
        == expected
    )
    instants = [s.start for spans in people.values() for s in spans]
    assert days_of_instants(a(*map(micros, instants)), zone).tolist() == [
        i.astimezone(zone).date().toordinal() for i in instants
    ]


def test_the_day_on_which_clocks_are_set_back_has_an_hour_more():
    zone = ZoneInfo("Europe/London")
    span = TimeSpan(datetime(2026, 10, 24, 12, tzinfo=UTC), datetime(2026, 10, 26, 12, tzinfo=UTC), 1)
    assert by_day([span], zone)[1, date(2026, 10, 25)] == 25 * 3600
