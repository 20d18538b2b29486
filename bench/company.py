"""A company of any size, made up: units three deep, positions in a line, people placed among them."""

from __future__ import annotations

import random
from datetime import date, timedelta

from django.db import transaction

from stepladder import clock
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account, Organisation
from stepladder.accounts.organisation import forget
from stepladder.charts import actions
from stepladder.charts.models import Chart, Position, Unit, UnitBranch
from stepladder.journal.actions import Machine
from stepladder.leads import actions as leads_actions
from stepladder.people.models import Employment, Person, Placement

BY = Machine("Bench")
SEED = 7
POSITIONS = ("Head", "Lead", "Hand")


def found(units: int) -> tuple[list[Unit], list[Position]]:
    """An organisation with a chart of so many units, ten below each, and three positions."""
    Organisation.objects.get_or_create(name="Bench Lines", defaults={"zone": "Europe/London"})
    forget()
    with transaction.atomic():
        chart = actions.add_chart(kind=Chart.Kind.UNIT, name="Units", by=BY)
        line = actions.add_chart(kind=Chart.Kind.POSITION, name="Positions", by=BY)
        made = [Unit(chart=chart, name=f"Unit {n:04d}", place=n) for n in range(units)]
        Unit.objects.bulk_create(made, batch_size=500)
        UnitBranch.objects.bulk_create(
            [UnitBranch(node=u, parent=made[(n - 1) // 10] if n else None, name=u.name) for n, u in enumerate(made)],
            batch_size=500,
        )
        positions: list[Position] = []
        for name in POSITIONS:
            under = positions[-1] if positions else None
            positions.append(Position.objects.get(pk=actions.add_node(chart=line, under=under, name=name, by=BY).pk))
        for position in positions[:2]:
            leads_actions.give_lead(
                holder_position=position,
                holder_person=None,
                field="own unit",
                powers=["see records", "assign"],
                from_day=date(2020, 1, 1),
                by=BY,
            )
    return made, positions


def rows(count: int, units: int) -> list[list[str]]:
    """The rows of a file of so many people: number, names, e-mail, unit, position, first day."""
    rng = random.Random(SEED)  # noqa: S311 - the same numbers each time
    today = clock.today()
    found = []
    for n in range(count):
        unit = n % units
        position = "Head" if n < units else "Lead" if n % 25 == 0 else "Hand"
        hired = today - timedelta(days=rng.randint(30, 4000))
        given, family = f"Given{n % 977}", f"Family{n:06d}"
        found.append(
            [f"N{n:06d}", given, family, f"n{n}@bench.example", f"Unit {unit:04d}", position, hired.isoformat()]
        )
    return found


HEADS = ["Employee number", "First name", "Last name", "E-mail", "Unit", "Position", "Hire date"]


def people(count: int, units: list[Unit], positions: list[Position]) -> None:
    """So many people at once, past the import: what is measured on them is reading."""
    by_name = {unit.name: unit for unit in units}
    at = {position.name: position for position in positions}
    with transaction.atomic():
        lines = rows(count, len(units))
        made = Person.objects.bulk_create(
            [Person(employee_number=r[0], given_name=r[1], family_name=r[2], email=r[3]) for r in lines], batch_size=500
        )
        days = [date.fromisoformat(r[6]) for r in lines]
        Employment.objects.bulk_create(
            [Employment(person=p, hired_on=d) for p, d in zip(made, days, strict=True)], batch_size=500
        )
        Placement.objects.bulk_create(
            [
                Placement(person=p, unit=by_name[r[4]], position=at[r[5]], from_day=d)
                for p, r, d in zip(made, lines, days, strict=True)
            ],
            batch_size=500,
        )


def administrator() -> Account:
    """Somebody who may see all of it."""
    return create_account(email="ines@bench.example", name="Ines", roles=["administrator"], by=BY)
