"""What it costs to be told what an act on people, a chart or a lead would do, before it is done."""

from __future__ import annotations

import time
from collections.abc import Callable

from bench import check, company
from stepladder import clock
from stepladder.charts import actions as charts_actions
from stepladder.charts.models import Position, Unit
from stepladder.charts.rehearsal import rehearse
from stepladder.leads import actions as leads_actions
from stepladder.people import actions
from stepladder.people.models import Person


def run(count: int, units: int) -> list[str]:
    """Seconds that each rehearsal takes in a company of so many people and units."""
    company.people(count, *company.found(units))
    today = clock.today()
    to, node = Unit.objects.get(name=f"Unit {units // 20:04d}"), Unit.objects.get(name="Unit 0015")
    hand = Position.objects.get(name="Hand")
    one = Person.objects.get(employee_number=f"N{units + units // 2:06d}")
    head = Person.objects.get(employee_number="N000005")
    many = list(Person.objects.order_by("pk")[count // 5 : count // 5 + 1000])

    def moves(person: Person) -> Callable[[], object]:
        ending = list(person.placements.all())
        return lambda: actions.move(person=person, unit=to, position=hand, from_day=today, ending=ending, by=company.BY)

    acts: list[tuple[str, Callable[[], object]]] = [
        ("one person moves", moves(one)),
        ("the head of a unit moves", moves(head)),
        (
            "a unit is hung elsewhere",
            lambda: charts_actions.move_node(node=node, under=to, from_day=today, by=company.BY),
        ),
        (
            f"{len(many):,} people move",
            lambda: actions.move_many(
                people=many,
                unit=to,
                position=hand,
                keeps_position=False,
                from_day=today,
                ends_present=True,
                by=company.BY,
            ),
        ),
        (
            "a lead is given",
            lambda: leads_actions.give_lead(
                holder_position=None,
                holder_person=one,
                field="unit",
                unit=to,
                powers=["see records"],
                from_day=today,
                by=company.BY,
            ),
        ),
    ]
    return [f"{label}: {_seconds(act):.2f} s" for label, act in acts]


def _seconds(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    lines = rehearse(act, day=clock.today())
    took = time.perf_counter() - began
    check(bool(lines), "an act that changes nothing was rehearsed")
    return took
