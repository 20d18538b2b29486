"""Roles that come with a position, as a lead does: who is placed in it has them, whoever it is."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction

from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.charts.models import Position
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.errors import RoleOfPersonOnly
from stepladder.people.models import PositionRole

__all__ = ["WITH_POSITIONS", "set_position_roles"]

# What a position may bring with it. An administrator is one by name, a unit administrator for a part, a manager by a lead.
WITH_POSITIONS = (Role.AUTHOR, Role.INSTRUCTOR, Role.AUDITOR)


@transaction.atomic
def set_position_roles(*, position: Position, roles: Collection[str], by: Actor) -> None:
    """What comes with a position from now on, and nothing else. Raises RoleOfPersonOnly."""
    policy.require(by, "change roles", position)
    if any(role not in WITH_POSITIONS for role in roles):
        raise RoleOfPersonOnly()
    known = {row.role: row for row in PositionRole.objects.known_now().filter(position=position)}
    gone = [row for role, row in known.items() if role not in roles]
    for row in gone:
        row.revoke()
    made = [
        PositionRole.objects.create(position=position, role=role)
        for role in WITH_POSITIONS
        if role in roles and role not in known
    ]
    rows: list[Fact] = [*gone, *made]
    if rows:
        words = ", ".join(role.label.lower() for role in WITH_POSITIONS if role in roles) or "no role"
        about = Named("position", position.public_id, position.name)
        record("set_position_roles", by=by, about=about, data={"roles": words}, rows=rows)
