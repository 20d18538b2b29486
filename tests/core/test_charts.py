"""Charts over time."""

from datetime import date

import pytest

from stepladder.core.charts import ALWAYS, Branch, ChartError, DatedChart
from stepladder.core.days import Span, join_spans
from stepladder.core.reach import AtSite, InUnit, PersonFacts, Placement, Reach, World, membership


def d(text: str) -> date:
    return date.fromisoformat(text)


FLEET, SHORE, DUNLIN, GALLEY = 1, 2, 3, 4
LONG_AGO = d("1900-01-01")
# Dunlin goes from Fleet to Shore on 1 May and is called Dunlin II from then on; its galley goes with it.
CHART = DatedChart(
    [
        Branch(FLEET, None, Span(LONG_AGO), "Fleet", 70),
        Branch(SHORE, None, Span(LONG_AGO), "Shore", 71),
        Branch(DUNLIN, FLEET, Span(LONG_AGO, d("2026-04-30")), "Dunlin"),
        Branch(DUNLIN, SHORE, Span(d("2026-05-01")), "Dunlin II"),
        Branch(GALLEY, DUNLIN, Span(d("2026-01-01"), d("2026-06-30")), "Galley"),
    ]
)


def test_a_past_day_is_seen_as_it_was():
    assert CHART.path(GALLEY, d("2026-04-30")) == "Fleet › Dunlin › Galley"
    assert CHART.path(GALLEY, d("2026-05-01")) == "Shore › Dunlin II › Galley"
    assert GALLEY not in CHART.on(d("2025-12-31")).parent
    # Outside its days a node is called what it was called last.
    assert CHART.path(GALLEY, d("2026-07-01")) == "Galley"
    assert CHART.days_of_change() == [LONG_AGO, d("2026-01-01"), d("2026-05-01"), d("2026-07-01")]


def test_a_node_is_called_what_it_was_called_on_the_day_and_outside_its_days_what_it_was_last():
    days = (d("1890-01-01"), d("2026-04-30"), d("2026-05-01"))
    assert [CHART.name(DUNLIN, day) for day in days] == ["Dunlin II", "Dunlin", "Dunlin II"]
    assert CHART.name(99, d("2026-05-01")) == ""


def test_what_is_below_a_node_holds_the_node_and_what_hangs_under_it_at_any_depth():
    tree = CHART.on(d("2026-05-01"))
    assert tree.below(SHORE) == {SHORE, DUNLIN, GALLEY}
    assert tree.below(GALLEY) == {GALLEY}


def test_what_is_above_a_node_is_known_for_all_days_at_once():
    assert CHART.under(GALLEY)[FLEET] == [Span(d("2026-01-01"), d("2026-04-30"))]
    assert CHART.under(GALLEY)[SHORE] == [Span(d("2026-05-01"), d("2026-06-30"))]
    assert CHART.sites(GALLEY) == [
        (Span(d("2026-01-01"), d("2026-04-30")), 70),
        (Span(d("2026-05-01"), d("2026-06-30")), 71),
    ]


def test_a_moved_unit_takes_its_people_into_other_reaches_on_its_day():
    world = World(CHART, DatedChart([]))
    ada = PersonFacts(1, hired=d("2025-01-01"), placements=(Placement(DUNLIN, None, Span(d("2025-01-01"))),))
    assert membership(Reach(InUnit(FLEET)), ada, world) == [Span(d("2025-01-01"), d("2026-04-30"))]
    assert membership(Reach(InUnit(SHORE)), ada, world) == [Span(d("2026-05-01"))]
    assert membership(Reach(InUnit(SHORE, below=False)), ada, world) == []
    assert membership(Reach(AtSite(71)), ada, world) == [Span(d("2026-05-01"))]
    assert membership(Reach(InUnit(DUNLIN, below=False)), ada, world) == [Span(d("2025-01-01"))]


@pytest.mark.parametrize(
    ("more", "says"),
    [
        (Branch(FLEET, GALLEY, Span(d("2026-02-01"))), "stands at two places on 2026-02-01"),
        (Branch(DUNLIN, FLEET, Span(d("2026-04-30"), d("2026-04-30"))), "stands at two places on 2026-04-30"),
        (Branch(5, 9), "stands under 9, which is not in the chart"),
        (Branch(5, GALLEY, Span(d("2026-02-01"))), f"stands under {GALLEY}, which is not in the chart"),
    ],
)
def test_a_chart_that_is_no_tree_on_some_day_is_refused(more, says):
    branches = [b for node in (FLEET, SHORE, DUNLIN, GALLEY) for b in CHART.branches(node)]
    with pytest.raises(ChartError, match=says):
        DatedChart([*branches, more]).check()


ROOT, A, B = 1, 2, 3
SWAPPED = DatedChart(
    [
        Branch(ROOT, None, Span(LONG_AGO), site=7),
        Branch(A, ROOT, Span(LONG_AGO, d("2026-05-31"))),
        Branch(A, B, Span(d("2026-06-01"))),
        Branch(B, A, Span(LONG_AGO, d("2026-05-31"))),
        Branch(B, ROOT, Span(d("2026-06-01"))),
    ]
)


@pytest.mark.parametrize("first", [A, B])
def test_two_nodes_that_change_places_are_each_above_the_other_on_their_own_days(first):
    before, after = Span(LONG_AGO, d("2026-05-31")), Span(d("2026-06-01"))
    SWAPPED.under(first)
    assert SWAPPED.under(B) == {B: (ALWAYS,), ROOT: [Span(LONG_AGO)], A: [before]}
    assert SWAPPED.under(A) == {A: (ALWAYS,), ROOT: [Span(LONG_AGO)], B: [after]}
    assert join_spans(days for days, site in SWAPPED.sites(B)) == [Span(LONG_AGO)]
    SWAPPED.check()


def test_people_of_two_units_that_change_places_are_in_the_reach_of_the_one_above_on_its_days():
    world = World(SWAPPED, DatedChart([]))
    jun = PersonFacts(1, hired=d("2025-01-01"), placements=(Placement(B, None, Span(d("2025-01-01"))),))
    assert membership(Reach(InUnit(A)), jun, world) == [Span(d("2025-01-01"), d("2026-05-31"))]
    assert membership(Reach(AtSite(7)), jun, world) == [Span(d("2025-01-01"))]


def test_a_node_under_itself_on_one_day_only_is_found():
    chart = DatedChart(
        [
            Branch(1, None, Span(LONG_AGO, d("2026-04-30"))),
            Branch(1, 2, Span(d("2026-05-01"))),
            Branch(2, 1, Span(LONG_AGO)),
        ]
    )
    with pytest.raises(ChartError, match="stands under itself"):
        chart.check()
    for node in (1, 2):
        with pytest.raises(ChartError, match="stands under itself on 2026-05-01"):
            chart.under(node)
