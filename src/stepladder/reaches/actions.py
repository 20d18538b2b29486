"""Groups: making them and saying whom they mean."""

from __future__ import annotations

from typing import Any

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.reach import GroupCircle, ReachError, check_groups
from stepladder.journal.actions import Actor, Named, record
from stepladder.reaches.errors import GroupRefused
from stepladder.reaches.models import Group, GroupRule
from stepladder.reaches.stored import load_world, parse
from stepladder.refusals import NameThere
from stepladder.web.sheets import touch

__all__ = ["change_group", "create_group"]


def _about(group: Group) -> Named:
    return Named("group", group.public_id, group.name)


def _check(group: Group, reach: dict[str, Any]) -> None:
    """Raises GroupRefused for a reach that means nobody, and for groups in a circle, which it names."""
    meant = parse(reach)
    groups = {**load_world().groups, group.pk: meant}
    try:
        meant.check()
        check_groups(groups)
    except GroupCircle as circle:
        names = dict(Group.objects.values_list("pk", "name"))
        way = "” asks for “".join(names.get(key, group.name) for key in circle.groups)
        raise GroupRefused(f"“{way}”: a group cannot ask who is in itself. Take one of these conditions out.") from None
    except ReachError as refusal:
        raise GroupRefused(str(refusal)) from None


@transaction.atomic
def create_group(*, name: str, note: str, reach: dict[str, Any], by: Actor) -> Group:
    """A named set of people. Raises NameThere, GroupRefused."""
    policy.require(by, "change groups")
    if Group.objects.filter(name__iexact=name).exists():
        raise NameThere(name)
    group = Group.objects.create(name=name, note=note, changed_at=clock.now(), changed_by=by.name)
    _check(group, reach)
    rule = GroupRule.objects.create(group=group, reach=reach)
    record("create_group", by=by, about=_about(group), rows=[rule])
    return group


@transaction.atomic
def change_group(
    *, group: Group, revision: int | None, name: str, note: str, reach: dict[str, Any], by: Actor
) -> Group:
    """Its name, its note and whom it means from now on. Raises NameThere, GroupRefused, NewerChange."""
    policy.require(by, "change groups", group)
    if Group.objects.filter(name__iexact=name).exclude(pk=group.pk).exists():
        raise NameThere(name)
    touch(group, revision=revision, by_name=by.name)
    group.name, group.note = name, note
    group.save()
    rule = GroupRule.objects.known_now().get(group=group)
    if rule.reach == reach:
        record("edit_group", by=by, about=_about(group))
        return group
    _check(group, reach)
    new = rule.succeeded_by(reach=reach)
    entry = record("change_group", by=by, about=_about(group), rows=[rule, new])
    events.announce(events.GroupChanged(group.pk), entry.act)
    return group
