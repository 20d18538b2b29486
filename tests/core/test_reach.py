from datetime import date

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.charts import Branch, ChartError, DatedChart, Tree
from stepladder.core.days import FOREVER, Span
from stepladder.core.reach import (
    AllOf,
    AnyOf,
    AtSite,
    FieldIs,
    GroupCircle,
    Hired,
    HoldsCompletion,
    InGroup,
    InPosition,
    InUnit,
    NoneOf,
    OfKind,
    PersonFacts,
    PlacedWithin,
    Placement,
    Reach,
    ReachError,
    World,
    check_groups,
    explain,
    members_on,
    membership,
    placement_behind,
)

FLEET, DUNLIN, SHORE, OSIER = 1, 2, 3, 4
MASTER, BOSUN, DECKHAND, CLERK = 1, 2, 3, 4
WORLD = World(
    units=DatedChart.always(
        Tree({FLEET: None, DUNLIN: FLEET, SHORE: None, OSIER: SHORE}, {FLEET: "Fleet", DUNLIN: "Dunlin"}),
        {SHORE: 70, OSIER: 71},
    ),
    positions=DatedChart.always(Tree({MASTER: None, BOSUN: MASTER, DECKHAND: BOSUN, CLERK: None})),
)


def d(text: str) -> date:
    return date.fromisoformat(text)


DAY = d("2026-05-14")
ADA = PersonFacts(
    key=1,
    hired=d("2026-03-01"),
    placements=(
        Placement(DUNLIN, DECKHAND, Span(d("2026-03-01")), key=11),
        Placement(OSIER, CLERK, Span(d("2026-04-01"), d("2026-06-30")), key=12),
    ),
    holds={9: [Span(d("2026-05-01"), d("2026-05-31"))]},
    fields={"licence": "B", "tooth": "", "sea days": "90", "passport": "2026-12-01"},
)
DUNLIN_CREW, CLERKS = InUnit(DUNLIN), InPosition(CLERK)


@pytest.mark.parametrize(
    ("condition", "expected"),
    [
        (AllOf((DUNLIN_CREW, CLERKS)), False),
        (AnyOf((DUNLIN_CREW, CLERKS)), True),
        (AllOf((DUNLIN_CREW, NoneOf((CLERKS,)))), False),
        (AllOf((DUNLIN_CREW, InPosition(DECKHAND))), True),
        (AllOf(()), True),
        (NoneOf(()), True),
        (AnyOf(()), False),
        (InUnit(FLEET), True),
        (InUnit(FLEET, below=False), False),
        (InPosition(MASTER, below=True), True),
        (InPosition(MASTER), False),
        (AtSite(71), True),
        (AtSite(70), False),
        (PlacedWithin(43), True),
        (PlacedWithin(42), False),
        (Hired("within", days=74), True),
        (Hired("within", days=73), False),
        (Hired("before", d("2026-03-01")), False),
        (Hired("after", d("2026-02-28")), True),
        (Hired("after", d("2026-03-01")), False),
        (Hired("before", d("2026-03-02")), True),
        (FieldIs("sea days", "at least", "90", "number"), True),
        (FieldIs("sea days", "at least", "90.5", "number"), False),
        (FieldIs("sea days", "at most", "90.0", "number"), True),
        (FieldIs("sea days", "at most", "100", "number"), True),
        (FieldIs("passport", "at least", "2026-12-01", "day"), True),
        (FieldIs("passport", "at most", "2026-11-30", "day"), False),
        (FieldIs("tooth", "at least", "", "text"), False),
        (OfKind("outside"), False),
        (HoldsCompletion(9), True),
        (FieldIs("licence", "is", "B"), True),
        (FieldIs("licence", "is", " b "), True),
        (FieldIs("tooth", "is not", "B"), False),
        (FieldIs("tooth", "is empty"), True),
    ],
)
def test_conditions_on_one_day(condition, expected):
    assert (1 in members_on(Reach(condition), [ADA], WORLD, day=DAY)) is expected
    assert explain(Reach(condition), ADA, WORLD, day=DAY).holds is expected


def test_named_people_are_added_to_the_whole_and_taken_off_last():
    nobody = InUnit(SHORE, below=False)
    assert members_on(Reach(nobody, named_in=frozenset({1})), [ADA], WORLD, day=DAY) == {1}
    both = Reach(nobody, named_in=frozenset({1}), named_out=frozenset({1}))
    assert members_on(both, [ADA], WORLD, day=DAY) == set()
    assert explain(both, ADA, WORLD, day=DAY).condition == "named out"
    assert membership(Reach(None, named_in=frozenset({2})), ADA, WORLD) == []


@pytest.mark.parametrize(
    ("reach", "day", "said", "holds"),
    [
        (Reach(CLERKS, named_in=frozenset({1})), DAY, "named in", True),
        (Reach(None, named_in=frozenset({2})), DAY, "named in", False),
        (Reach(CLERKS, named_out=frozenset({1})), DAY, "named out", False),
        (Reach(CLERKS, named_in=frozenset({1})), d("2026-02-28"), "inactive", False),
        (Reach(CLERKS), DAY, CLERKS, True),
    ],
)
def test_an_explanation_says_first_what_decides(reach, day, said, holds):
    found = explain(reach, ADA, WORLD, day=day)
    assert (found.condition, found.holds) == (said, holds)


def test_whether_a_reach_asks_for_groups_at_any_depth():
    assert Reach(AllOf((CLERKS, NoneOf((InGroup(1),))))).asks_groups
    assert not Reach(AllOf((CLERKS, DUNLIN_CREW))).asks_groups
    assert not Reach(None, named_in=frozenset({1})).asks_groups


def test_an_inactive_person_is_in_no_reach():
    gone = PersonFacts(key=2, hired=d("2025-01-01"), left=d("2026-05-13"))
    everyone = Reach(AllOf(()), named_in=frozenset({2}))
    assert membership(everyone, gone, WORLD) == [Span(d("2025-01-01"), d("2026-05-13"))]
    assert members_on(everyone, [gone], WORLD, day=DAY) == set()
    for_a_day = PersonFacts(key=2, hired=d("2025-01-01"), left=d("2025-01-01"))
    assert membership(everyone, for_a_day, WORLD) == [Span(d("2025-01-01"), d("2025-01-01"))]
    not_at_all = PersonFacts(key=2, hired=d("2025-01-02"), left=d("2025-01-01"))
    assert membership(everyone, not_at_all, WORLD) == []


def test_membership_tells_the_days_to_come():
    assert membership(Reach(CLERKS), ADA, WORLD) == [Span(d("2026-04-01"), d("2026-06-30"))]
    assert membership(Reach(Hired("within", days=90)), ADA, WORLD) == [Span(d("2026-03-01"), d("2026-05-30"))]
    assert membership(Reach(NoneOf((CLERKS,))), ADA, WORLD) == [
        Span(d("2026-03-01"), d("2026-03-31")),
        Span(d("2026-07-01"), FOREVER),
    ]


@pytest.mark.parametrize(
    ("reach", "day", "key"),
    [
        (Reach(AnyOf((DUNLIN_CREW, CLERKS))), DAY, 12),
        (Reach(AnyOf((DUNLIN_CREW, CLERKS))), d("2026-03-31"), 11),  # the other begins tomorrow
        (Reach(CLERKS), d("2026-07-01"), None),  # it ended yesterday
        (Reach(AllOf((CLERKS, HoldsCompletion(9)))), d("2026-06-01"), None),  # it stands, but fits no more
        (Reach(DUNLIN_CREW, named_in=frozenset({1})), DAY, 12),  # who is named is in by all of them
        (Reach(None, named_in=frozenset({1})), d("2026-07-01"), 11),
    ],
)
def test_the_placement_behind_is_of_those_that_fit_the_one_that_began_last(reach, day, key):
    found = placement_behind(reach, ADA, WORLD, day=day)
    assert (found and found.key) == key


@pytest.mark.parametrize(
    ("reach", "message"),
    [
        (Reach(None), "This reach names nobody"),
        (Reach(AllOf((AnyOf(()),))), "A group “any of” has nothing in it"),
        (Reach(NoneOf((HoldsCompletion(5),))), "the very course it assigns"),
    ],
)
def test_a_reach_that_cannot_be_meant_is_refused(reach, message):
    with pytest.raises(ReachError, match=message):
        reach.check(own_courses=frozenset({5}))


def test_a_reach_that_asks_for_its_own_course_through_groups_is_refused():
    groups = {1: Reach(AnyOf((InGroup(2), OfKind("outside")))), 2: Reach(NoneOf((HoldsCompletion(5),)))}
    with pytest.raises(ReachError, match="the very course it assigns"):
        Reach(AllOf((InGroup(1),))).check(own_courses=frozenset({5}), groups=groups)
    Reach(AllOf((InGroup(1),))).check(own_courses=frozenset({6}), groups=groups)


def test_an_explanation_names_each_part():
    finding = explain(Reach(AllOf((DUNLIN_CREW, NoneOf((CLERKS,))))), ADA, WORLD, day=DAY)
    assert [part.holds for part in finding.parts] == [True, False]
    assert finding.parts[1].parts[0].holds


def test_a_node_under_itself_is_no_chart():
    with pytest.raises(ChartError, match="stands under itself"):
        Tree({1: 2, 2: 1})
    assert list(WORLD.units.on(DAY).walk()) == [(FLEET, 0), (DUNLIN, 1), (SHORE, 0), (OSIER, 1)]
    assert WORLD.units.path(DUNLIN, DAY) == "Fleet › Dunlin"


days = st.dates(min_value=date(2026, 1, 1), max_value=date(2026, 12, 31))
spans = st.builds(lambda a, n: Span(a, date.fromordinal(a.toordinal() + n)), days, st.integers(0, 200))
placements = st.builds(
    Placement, st.sampled_from([FLEET, DUNLIN, SHORE, OSIER]), st.sampled_from([MASTER, CLERK]), spans
)
people = st.builds(PersonFacts, st.just(1), days, st.none(), st.lists(placements, max_size=3).map(tuple))
leaves = st.one_of(
    st.builds(InUnit, st.sampled_from([FLEET, DUNLIN, SHORE, OSIER]), st.booleans()),
    st.builds(InPosition, st.sampled_from([MASTER, CLERK]), st.booleans()),
    st.builds(PlacedWithin, st.integers(0, 60)),
    st.builds(Hired, st.just("within"), st.none(), st.integers(0, 60)),
)
conditions = st.recursive(
    leaves,
    lambda inner: st.builds(
        lambda kind, parts: kind(tuple(parts)), st.sampled_from([AllOf, AnyOf, NoneOf]), st.lists(inner, max_size=3)
    ),
    max_leaves=6,
)


# Dunlin belongs to Fleet until the end of May, and to Shore from June on.
JUNE = d("2026-06-01")
MOVING = World(
    DatedChart(
        [
            *[b for n in (FLEET, SHORE, OSIER) for b in WORLD.units.branches(n)],
            Branch(DUNLIN, FLEET, Span(d("1900-01-01"), d("2026-05-31"))),
            Branch(DUNLIN, SHORE, Span(JUNE)),
        ]
    ),
    WORLD.positions,
)


def on_the_day(condition, person, day):
    """The rule read literally for one day: the set of placements that fit, or of the person alone."""
    rows = [p for p in person.placements if day in p.days] or [None]

    def fits(part):
        if isinstance(part, AllOf):
            return set.intersection(set(range(len(rows))), *[fits(p) for p in part.parts])
        if isinstance(part, AnyOf):
            return set().union(*[fits(p) for p in part.parts])
        if isinstance(part, NoneOf):
            return set() if any(fits(p) for p in part.parts) else set(range(len(rows)))
        if isinstance(part, Hired):
            return set(range(len(rows))) if 0 <= (day - person.hired).days <= part.days else set()
        met = set()
        for i, row in enumerate(rows):
            if row is None:
                continue
            if isinstance(part, PlacedWithin):
                ok = (day - row.days.first).days <= part.days
            elif isinstance(part, InUnit):
                ok = part.unit == row.unit or (part.below and part.unit in MOVING.units.on(day).upwards(row.unit))
            else:
                ok = part.position == row.position or (
                    part.below and part.position in MOVING.positions.on(day).upwards(row.position)
                )
            if ok:
                met.add(i)
        return met

    return day >= person.hired and bool(fits(condition))


@given(conditions, people, days)
def test_spans_hold_exactly_the_days_that_the_rule_gives_one_by_one(condition, person, day):
    assert any(day in s for s in membership(Reach(condition), person, MOVING)) == on_the_day(condition, person, day)


def test_a_group_is_its_own_reach_wherever_it_is_asked_for():
    groups = {7: Reach(InUnit(DUNLIN), named_in=frozenset({2})), 8: Reach(InGroup(7), named_out=frozenset({1}))}
    world = World(WORLD.units, WORLD.positions, groups)
    other = PersonFacts(key=2, hired=d("2026-03-01"))
    assert members_on(Reach(InGroup(7)), [ADA, other], world, day=DAY) == {1, 2}
    assert members_on(Reach(InGroup(8)), [ADA, other], world, day=DAY) == {2}
    assert members_on(Reach(NoneOf((InGroup(7),))), [ADA, other], world, day=DAY) == set()
    # A group that is gone means nobody.
    assert members_on(Reach(InGroup(9)), [ADA, other], world, day=DAY) == set()


def test_groups_in_a_circle_are_refused_and_named():
    circle = {7: Reach(AllOf((InGroup(8),))), 8: Reach(NoneOf((InGroup(9),))), 9: Reach(InGroup(8))}
    with pytest.raises(GroupCircle) as refusal:
        check_groups(circle)
    assert refusal.value.groups == (8, 9, 8)
    check_groups({7: Reach(AllOf((InGroup(8), InGroup(8)))), 8: Reach(InUnit(DUNLIN))})
