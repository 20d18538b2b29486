"""Who answers to whom: rules.md 2, as a small ship's company."""

import dataclasses

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.charts import Tree
from stepladder.core.leads import AUnit, Lead, LeadBook, Named, OwnUnit, PositionsBelow, Post, Power, whom_to_ask

FLEET, DUNLIN, KNOT, DUNLIN_DECK, SHORE = 1, 2, 3, 4, 5
MASTER, MATE, BOSUN, HAND, CLERK = 1, 2, 3, 4, 5
UNITS = Tree({FLEET: None, DUNLIN: FLEET, KNOT: FLEET, DUNLIN_DECK: DUNLIN, SHORE: None})
POSITIONS = Tree({MASTER: None, MATE: MASTER, BOSUN: MATE, HAND: BOSUN, CLERK: None})
MARA, MILO, MATT, BO, HAL, KIM, CLEO, FINN = range(11, 19)
POSTS = [
    Post(MARA, DUNLIN, MASTER),
    Post(MILO, DUNLIN, MASTER),
    Post(MATT, KNOT, MATE),
    Post(BO, DUNLIN_DECK, BOSUN),
    Post(HAL, DUNLIN_DECK, HAND),
    Post(KIM, KNOT, HAND),
    Post(CLEO, SHORE, CLERK),
    Post(FINN, FLEET, None),
]


def book(*leads: Lead, posts=POSTS) -> LeadBook:
    return LeadBook(leads, holders=posts, active=frozenset(p.person for p in posts), units=UNITS, positions=POSITIONS)


def answers(book: LeadBook, person: int, posts=POSTS) -> dict[int, bool]:
    """Leader → whether directly."""
    found: dict[int, bool] = {}
    for line in book.lines(person, [p for p in posts if p.person == person]):
        found[line.leader] = found.get(line.leader, False) or line.direct
    return found


MASTERS = Lead(1, OwnUnit(), frozenset({Power.SEE_RECORDS}), position=MASTER)
FLEET_LEAD = Lead(2, AUnit(FLEET), frozenset({Power.APPROVE, Power.ASSIGN}), person=FINN)


def test_two_who_lead_the_same_unit_do_not_answer_to_each_other_but_to_who_leads_above():
    leads = book(MASTERS, FLEET_LEAD)
    assert answers(leads, HAL) == {MARA: True, MILO: True, FINN: False}
    assert answers(leads, MARA) == {FINN: True}
    assert answers(leads, KIM) == {FINN: True}  # nobody is master of Knot
    assert answers(leads, CLEO) == {}
    assert answers(leads, FINN) == {}


def test_own_unit_and_a_unit_count_together():
    deck = Lead(3, AUnit(DUNLIN_DECK), person=BO)
    assert answers(book(MASTERS, deck), HAL) == {BO: True, MARA: False, MILO: False}
    assert answers(book(MASTERS, deck), BO) == {MARA: True, MILO: True}


def test_positions_below_lead_whatever_the_unit_and_the_nearest_that_is_held_is_direct():
    mates = Lead(4, PositionsBelow(), position=MATE)
    bosuns = Lead(5, PositionsBelow(), position=BOSUN)
    assert answers(book(mates, bosuns), KIM) == {BO: True, MATT: False}
    assert answers(book(mates, bosuns), BO) == {MATT: True}
    # A leading position that nobody else holds does not stand between.
    without_bo = [p for p in POSTS if p.person != BO]
    assert answers(book(mates, bosuns, posts=without_bo), KIM, without_bo) == {MATT: True}
    assert answers(book(mates, bosuns), MATT) == {}


def test_a_person_in_two_positions_of_one_line_does_not_stand_between_themself_and_above():
    both = [*POSTS, Post(BO, KNOT, HAND)]
    bosuns, mates = Lead(5, PositionsBelow(), position=BOSUN), Lead(4, PositionsBelow(), position=MATE)
    assert answers(book(bosuns, mates, posts=both), BO, both) == {MATT: True}


def test_named_is_always_direct_and_nobody_answers_to_themself():
    mentor = Lead(6, Named(frozenset({HAL, CLEO, BO})), position=BOSUN)
    leads = book(MASTERS, mentor)
    assert answers(leads, HAL) == {BO: True, MARA: True, MILO: True}
    assert answers(leads, CLEO) == {BO: True}
    assert answers(leads, BO) == {MARA: True, MILO: True}


def test_several_placements_are_read_one_by_one_and_direct_by_one_is_direct():
    posts = [*POSTS, Post(HAL, FLEET, None)]
    assert answers(book(MASTERS, FLEET_LEAD, posts=posts), HAL, posts) == {FINN: True, MARA: True, MILO: True}


def test_lines_name_their_lead_and_powers_add_up():
    more = Lead(7, Named(frozenset({HAL})), frozenset({Power.SIGN_OFF}), person=MARA)
    lines = [line for line in book(MASTERS, more).lines(HAL, [POSTS[4]]) if line.leader == MARA]
    assert [(line.lead, line.direct) for line in lines] == [(1, True), (7, True)]
    assert frozenset().union(*(line.powers for line in lines)) == {Power.SEE_RECORDS, Power.SIGN_OFF}


@pytest.mark.parametrize(
    ("power", "expected"),
    [
        (Power.SEE_RECORDS, [MARA, MILO]),  # direct lines have it
        (Power.APPROVE, [FINN]),  # none has it: the indirect one
        (Power.SIGN_OFF, []),
    ],
)
def test_requests_go_to_direct_lines_with_the_power_and_else_to_indirect_ones(power, expected):
    lines = book(MASTERS, FLEET_LEAD).lines(HAL, [POSTS[4]])
    assert whom_to_ask(lines, power) == expected


def test_direct_lines_are_asked_first_whatever_the_indirect_ones_may():
    deck = Lead(3, AUnit(DUNLIN_DECK), frozenset({Power.APPROVE}), person=BO)
    lines = book(MASTERS, FLEET_LEAD, deck).lines(HAL, [POSTS[4]])
    assert whom_to_ask(lines, Power.APPROVE) == [BO]
    assert whom_to_ask(lines, Power.ASSIGN) == [FINN]
    assert [line.direct for line in lines] == sorted((line.direct for line in lines), reverse=True)


def test_units_that_nobody_leads_are_those_without_a_leader_at_them_or_above():
    placed = {DUNLIN: 2, DUNLIN_DECK: 2, KNOT: 2, SHORE: 1, FLEET: 0}
    assert book(MASTERS).units_without(placed) == [KNOT, SHORE]
    assert book(MASTERS, FLEET_LEAD).units_without(placed) == [SHORE]
    # A lead whose holder's post is vacant leads nothing.
    assert book(Lead(8, OwnUnit(), position=CLERK), posts=[]).units_without(placed) == [
        DUNLIN,
        DUNLIN_DECK,
        KNOT,
        SHORE,
    ]


def test_a_position_that_the_chart_does_not_have_answers_to_nobody_by_position():
    post = Post(HAL, SHORE, max(MASTER, MATE, BOSUN, HAND, CLERK) + 1)
    assert answers(book(Lead(1, PositionsBelow(), position=MASTER)), HAL, [post]) == {}


FIELDS = st.one_of(
    st.just(OwnUnit()),
    st.just(PositionsBelow()),
    st.builds(AUnit, st.sampled_from([FLEET, DUNLIN, KNOT, DUNLIN_DECK, SHORE])),
    st.builds(Named, st.frozensets(st.sampled_from([MARA, HAL, KIM, CLEO]))),
)
LEADS = st.lists(
    st.one_of(
        st.builds(Lead, st.just(0), FIELDS, position=st.sampled_from([MASTER, MATE, BOSUN, HAND, CLERK])),
        st.builds(Lead, st.just(0), FIELDS, person=st.sampled_from([MARA, MILO, MATT, BO, FINN])),
    ),
    max_size=6,
)


@given(LEADS)
def test_direct_leaders_are_those_of_the_direct_lines_and_there_is_one_wherever_there_is_a_line(leads):
    whole = book(*[dataclasses.replace(lead, key=key) for key, lead in enumerate(leads)])
    for person in range(MARA, FINN + 1):
        own = [post for post in POSTS if post.person == person]
        lines = whole.lines(person, own)
        direct = whole.direct(person, own)
        assert direct == {line.leader for line in lines if line.direct}
        assert bool(direct) == bool(lines)


@given(LEADS)
def test_one_book_says_of_everybody_what_a_book_of_their_own_says(leads):
    """What is shared between people of one unit or position is nobody's own."""
    powers = [frozenset({power}) for power in Power]
    held = [dataclasses.replace(lead, key=key, powers=powers[key % 5]) for key, lead in enumerate(leads)]
    posts_of = {person: [post for post in POSTS if post.person == person] for person in range(MARA, FINN + 1)}
    shared = book(*held)
    alone = {person: book(*held).lines(person, posts) for person, posts in posts_of.items()}
    assert {person: shared.lines(person, posts) for person, posts in posts_of.items()} == alone
    for leader in posts_of:
        expected = {}
        for line in (line for lines in alone.values() for line in lines if line.leader == leader):
            direct, may = expected.get(line.person, (False, frozenset()))
            expected[line.person] = direct or line.direct, may | line.powers
        assert shared.team_of(leader, posts_of) == expected
