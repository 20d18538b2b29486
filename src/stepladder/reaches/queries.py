"""Reading groups."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from django.db.models import QuerySet

from stepladder.core.reach import members_on
from stepladder.people.models import Person
from stepladder.reaches.models import Group
from stepladder.reaches.stored import load_people, load_world, sentence

__all__ = ["GroupRow", "group_rows", "members_of"]


@dataclass(frozen=True)
class GroupRow:
    """A group with whom it means, and how many are in it on the day."""

    group: Group
    description: str
    count: int


def members_of(group: Group, day: date) -> QuerySet[Person]:
    """Who is in a group on a day, by name."""
    world = load_world()
    reach = world.groups[group.pk]
    keys = members_on(reach, load_people(reaches=[reach], world=world, known_on=day), world, day=day)
    return Person.objects.filter(pk__in=keys).order_by("family_name", "given_name", "pk")


def group_rows(day: date) -> list[GroupRow]:
    """All groups; everybody's facts are read once for all of them."""
    groups = list(Group.objects.all())
    if not groups:
        return []
    world = load_world()
    people = load_people(reaches=world.groups.values(), world=world, known_on=day)
    names = {group.pk: group.name for group in groups}
    rows = []
    for group in groups:
        reach = world.groups[group.pk]
        parts = [sentence(reach.condition, world, courses={}, groups=names)] if reach.condition else []
        if reach.named_in:
            parts.append(f"{len(reach.named_in)} by name")
        if reach.named_out:
            parts.append(f"never {len(reach.named_out)} by name")
        rows.append(GroupRow(group, "; ".join(parts), len(members_on(reach, people, world, day=day))))
    return rows
