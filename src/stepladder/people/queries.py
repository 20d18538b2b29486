"""Reading people and charts."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import OuterRef, Prefetch, Q, QuerySet, Subquery

from stepladder import clock
from stepladder.core.charts import Tree
from stepladder.people.models import Chart, Employment, Leave, Person, Placement, Position, Site, Unit

__all__ = [
    "ChartRow",
    "PersonSheet",
    "chart_rows",
    "charts",
    "find_people",
    "nodes_of",
    "person_sheet",
    "positions_tree",
    "units_tree",
]


def units_tree() -> Tree:
    """All units of all charts."""
    rows = list(Unit.objects.order_by("chart__pk", "place", "name").values_list("pk", "parent_id", "name"))
    return Tree({pk: parent for pk, parent, _ in rows}, {pk: name for pk, _, name in rows})


def positions_tree() -> Tree:
    """All positions of all charts."""
    rows = list(Position.objects.order_by("chart__pk", "place", "name").values_list("pk", "parent_id", "name"))
    return Tree({pk: parent for pk, parent, _ in rows}, {pk: name for pk, _, name in rows})


def valid_on(day: date) -> Q:
    """Of placements known now: those valid on *day*."""
    return Q(revoked_on__isnull=True, from_day__lte=day) & (Q(to_day__isnull=True) | Q(to_day__gte=day))


def with_placements(people: QuerySet[Person], day: date) -> QuerySet[Any]:
    """People with `here`, their placements of *day*, and hired_on and left_on."""
    here = Placement.objects.filter(valid_on(day)).select_related("unit", "position").order_by("-from_day")
    known = Employment.objects.known_now().filter(person=OuterRef("pk"))
    return people.annotate(
        hired_on=Subquery(known.values("hired_on")[:1]), left_on=Subquery(known.values("left_on")[:1])
    ).prefetch_related(Prefetch("placements", queryset=here, to_attr="here"))


def find_people(
    *, text: str = "", unit: Unit | None = None, position: Position | None = None, state: str = "active", day: date
) -> QuerySet[Any]:
    """The list of people: by name or number, unit and below, position, and state (active, to come, left, all)."""
    people = with_placements(Person.objects.all(), day)
    for word in text.split():
        people = people.filter(
            Q(given_name__icontains=word)
            | Q(family_name__icontains=word)
            | Q(employee_number__icontains=word)
            | Q(email__icontains=word)
        )
    if unit or position:
        places = Placement.objects.filter(valid_on(day))
        if unit:
            places = places.filter(unit__in=units_tree().below(unit.pk))
        if position:
            places = places.filter(position=position)
        people = people.filter(pk__in=places.values("person"))
    if state == "active":
        people = people.filter(Q(left_on__isnull=True) | Q(left_on__gte=day), hired_on__lte=day)
    elif state == "to come":
        people = people.filter(hired_on__gt=day)
    elif state == "left":
        people = people.filter(left_on__lt=day)
    return people


@dataclass(frozen=True)
class PersonSheet:
    """What a person's sheet shows of them: placements by time, employment, leave."""

    employment: Employment
    present: list[Placement]
    to_come: list[Placement]
    past: list[Placement]
    leave: list[Leave]

    @property
    def state(self) -> str:
        today = clock.today()
        if self.employment.hired_on > today:
            return "to come"
        if self.employment.left_on and self.employment.left_on < today:
            return "left"
        return "active"

    @property
    def on_leave(self) -> bool:
        today = clock.today()
        return any(x.from_day <= today and (x.to_day is None or x.to_day >= today) for x in self.leave)


def person_sheet(person: Person, day: date) -> PersonSheet:
    """A person's placements, employment and leave as known now."""
    placements = list(
        Placement.objects.known_now().filter(person=person).select_related("unit", "position").order_by("-from_day")
    )
    return PersonSheet(
        employment=Employment.objects.known_now().get(person=person),
        present=[p for p in placements if p.from_day <= day and (p.to_day is None or p.to_day >= day)],
        to_come=[p for p in placements if p.from_day > day],
        past=[p for p in placements if p.to_day is not None and p.to_day < day],
        leave=list(Leave.objects.known_now().filter(person=person).order_by("-from_day")),
    )


@dataclass(frozen=True)
class ChartRow:
    """A node of a chart with how deep it stands and how many people are in it, and below it too."""

    node: Unit | Position
    depth: int
    here: int
    below: int
    site: str = ""


def charts() -> list[Chart]:
    """All charts, the main ones first."""
    return list(Chart.objects.order_by("-kind", "-is_main", "name"))


def nodes_of(chart: Chart) -> QuerySet[Any]:
    """The units of a chart of units, the positions of one of positions."""
    return (Unit if chart.kind == Chart.Kind.UNIT else Position)._default_manager.filter(chart=chart)


def chart_rows(chart: Chart, day: date) -> list[ChartRow]:
    """A chart from the top down, each person counted once in every node."""
    nodes: dict[int, Unit | Position] = {node.pk: node for node in nodes_of(chart)}
    tree = Tree({pk: node.parent_id for pk, node in nodes.items()}, {pk: n.name for pk, n in nodes.items()})
    sites = dict(Site.objects.values_list("pk", "name"))
    column = f"{chart.kind}_id"
    people: dict[int, set[int]] = {}
    for node_id, person_id in Placement.objects.filter(valid_on(day)).values_list(column, "person_id"):
        people.setdefault(node_id, set()).add(person_id)
    rows = []
    for pk, depth in tree.walk():
        node = nodes[pk]
        below = set().union(*[people.get(n, set()) for n in tree.below(pk)])
        site = sites.get(node.site_id, "") if isinstance(node, Unit) and node.site_id else ""
        rows.append(ChartRow(node, depth, len(people.get(pk, ())), len(below), site))
    return rows
