"""What an act would do to who answers to whom: foretold from the few whom it touches, and the same as from everybody."""

import itertools

import pytest
from django.db import transaction

from stepladder import clock, events
from stepladder.charts import actions as charts_actions
from stepladder.charts.rehearsal import rehearse
from stepladder.leads import actions as leads_actions
from stepladder.leads.comparing import _of_lines
from stepladder.leads.models import Lead
from stepladder.leads.queries import direct_leaders
from stepladder.people import actions
from stepladder.people.models import Placement
from tests import factories as f


@pytest.fixture
def company(organisation, on):
    """Two ships and a shore, heads who lead their unit, mates who lead the positions below, one named lead."""
    on("2026-05-14")
    for unit, parent in (("Fleet", None), ("Dunlin", "Fleet"), ("Deck", "Dunlin"), ("Knot", "Fleet"), ("Shore", None)):
        f.a_unit(unit, parent)
    f.a_position("Head")
    f.a_position("Mate", "Head")
    f.a_position("Hand", "Mate")
    places = itertools.product(("Fleet", "Dunlin", "Deck", "Knot", "Shore"), ("Head", "Mate", "Hand"))
    people = {
        (unit, position): f.a_person(f"{unit} {position}", unit=unit, position=position)
        for unit, position in places
        if (unit, position) != ("Knot", "Head")
    }
    f.a_lead("Head")
    f.a_lead("Mate", field="positions below")
    f.a_lead(person=people["Shore", "Hand"], field="unit", unit=f.a_unit("Knot"))
    return people


def by_everybody(act, day):
    before = direct_leaders(None, day)
    with transaction.atomic():
        with events.held():
            act()
        after = direct_leaders(None, day)
        transaction.set_rollback(True)
    return _of_lines(before, after)


def moves(person, unit, position):
    return lambda: actions.move(
        person=person,
        unit=f.a_unit(unit),
        position=f.a_position(position),
        from_day=clock.today(),
        ending=list(Placement.objects.known_now().filter(person=person)),
        by=f.BY,
    )


ACTS = {
    "a hand moves": lambda c: moves(c["Deck", "Hand"], "Knot", "Hand"),
    "a head moves, and those they led have another": lambda c: moves(c["Dunlin", "Head"], "Knot", "Head"),
    "a hand becomes a head": lambda c: moves(c["Knot", "Hand"], "Knot", "Head"),
    "a mate becomes a hand": lambda c: moves(c["Fleet", "Mate"], "Fleet", "Hand"),
    "a head leaves": lambda c: (
        lambda: actions.leave_organisation(person=c["Fleet", "Head"], left_on=f.d("2026-05-13"), by=f.BY)
    ),
    "a ship is moved ashore": lambda c: (
        lambda: charts_actions.move_node(
            node=f.a_unit("Dunlin"), under=f.a_unit("Shore"), from_day=clock.today(), by=f.BY
        )
    ),
    "a position is moved": lambda c: (
        lambda: charts_actions.move_node(
            node=f.a_position("Hand"), under=f.a_position("Head"), from_day=clock.today(), by=f.BY
        )
    ),
    "a lead is given": lambda c: (
        lambda: leads_actions.give_lead(
            holder_position=None,
            holder_person=c["Deck", "Mate"],
            field="unit",
            unit=f.a_unit("Fleet"),
            powers=["assign"],
            from_day=clock.today(),
            by=f.BY,
        )
    ),
    "a lead has ended": lambda c: (
        lambda: leads_actions.end_lead(lead=Lead.objects.get(field="own unit"), to_day=f.d("2026-05-13"), by=f.BY)
    ),
}


@pytest.mark.parametrize("name", ACTS)
def test_what_is_foretold_of_the_touched_is_what_looking_at_everybody_tells(company, name):
    act = ACTS[name](company)
    foretold = [line for line in rehearse(act, day=clock.today()) if "answer" in line.text or "leader" in line.text]
    assert foretold
    assert sorted(foretold, key=str) == sorted(by_everybody(act, clock.today()), key=str)
