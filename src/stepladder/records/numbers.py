"""What boards and lists share: who is in which unit, and the order of names, as arrays."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Count, Max, Sum
from numpy.typing import NDArray

from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Chart, Unit
from stepladder.core.board import Membership
from stepladder.people.models import Person, Placement

__all__ = ["Names", "Units", "forget", "is_one_of", "names", "unit_choices", "units_on"]


def is_one_of(keys: NDArray[Any], wanted: Iterable[int]) -> NDArray[np.bool_]:
    """Which of the keys are wanted: by a table, as keys are small numbers."""
    there = np.fromiter(wanted, dtype=np.int64)
    most = max(int(keys.max(initial=0)), int(there.max(initial=0))) + 1
    table = np.zeros(most, dtype=bool)
    table[there] = True
    found: NDArray[np.bool_] = table[keys]
    return found


@dataclass(frozen=True)
class Units:
    """The units of a chart on a day in the order in which one reads them, each after its parent, and who is in them."""

    names: list[str]
    public_ids: list[str]
    depths: list[int]
    members: Membership


def units_on(day: date, known_on: date, chart: Chart | None, scope: frozenset[int] | None = None) -> Units:
    """The units of a chart (None: no units), and the people placed in them among those *seen* (None: all)."""
    if chart is None:
        return Units([], [], [], Membership(*(np.zeros(0, dtype=np.int32) for _ in range(3))))
    tree = units_tree(day, known_on)
    public_ids = dict(Unit.objects.filter(chart=chart).values_list("pk", "public_id"))
    walked = [(key, depth) for key, depth in tree.walk() if key in public_ids]
    place = {key: n for n, (key, _) in enumerate(walked)}
    parent = [place.get(tree.parent[key] or 0, -1) for key, _ in walked]
    rows = Placement.objects.known_on(known_on).filter(from_day__lte=day).exclude(to_day__lt=day)
    placed = np.array(list(rows.values_list("person_id", "unit_id")), dtype=np.int64).reshape(-1, 2)
    places = np.full(max(int(placed[:, 1].max(initial=0)), max(place, default=0)) + 1, -1, dtype=np.int64)
    places[list(place)] = list(place.values())
    placed[:, 1] = places[placed[:, 1]]
    keep = placed[:, 1] >= 0
    if scope is not None:
        keep &= is_one_of(placed[:, 0], scope)
    # Each pair once, in order of people.
    pairs = np.unique((placed[keep, 0] << 32) | placed[keep, 1])
    return Units(
        [tree.name[key] for key, _ in walked],
        [public_ids[key] for key, _ in walked],
        [depth for _, depth in walked],
        Membership(
            (pairs >> 32).astype(np.int32), (pairs & 0xFFFFFFFF).astype(np.int32), np.array(parent, dtype=np.int32)
        ),
    )


# A list of more units is no choice any more: of a larger chart the top is offered, and what is around the chosen unit.
UNITS_OFFERED = 150


def unit_choices(chosen: Unit | None) -> list[tuple[Unit, int]]:
    """Units to choose from, with their depth."""
    tree = units_tree()
    walked = list(tree.walk())
    if len(walked) > UNITS_OFFERED:
        above = set(tree.upwards(chosen.pk)) if chosen and chosen.pk in tree.parent else set()
        walked = [(key, depth) for key, depth in walked if depth < 2 or key in above or tree.parent[key] in above]
    nodes = Unit.objects.in_bulk([key for key, _ in walked])
    return [(nodes[key], depth) for key, depth in walked]


@dataclass(frozen=True)
class Names:
    """Everybody's place in the order of family and given names, by key; and what one finds them by, in the same order."""

    version: tuple[object, ...]
    order: NDArray[np.int32]
    keys: list[int]
    texts: list[str]

    def found_by(self, text: str) -> list[int]:
        """The keys of who has every word in a name or the number."""
        words = text.lower().split()
        return [key for key, hay in zip(self.keys, self.texts, strict=True) if all(word in hay for word in words)]


_names: list[Names] = []


def names() -> Names:
    """The names of everybody, kept until one is changed."""
    version = tuple(Person.objects.aggregate(n=Count("pk"), last=Max("pk"), changes=Sum("revision")).values())
    if not _names or _names[0].version != version:
        rows = list(
            Person.objects.order_by("family_name", "given_name", "pk").values_list(
                "pk", "given_name", "family_name", "employee_number"
            )
        )
        order = np.zeros(max((row[0] for row in rows), default=0) + 1, dtype=np.int32)
        order[[row[0] for row in rows]] = np.arange(len(rows))
        _names[:] = [Names(version, order, [row[0] for row in rows], [f"{g} {f} {n}".lower() for _, g, f, n in rows])]
    return _names[0]


def forget() -> None:
    """Let go of what is kept between requests: for tests, whose rows come and go without a trace."""
    _names.clear()
