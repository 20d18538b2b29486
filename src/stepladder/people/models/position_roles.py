"""Roles that come with positions."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.accounts.models import Role
from stepladder.charts.models import Position
from stepladder.facts import Fact


class PositionRole(Fact):
    """A role that comes with a position: whoever is placed in it has the role, on the days of the placement."""

    position = models.ForeignKey(Position, on_delete=models.PROTECT, related_name="roles")
    role = models.CharField(max_length=20, choices=Role.choices)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["position", "role"], condition=Q(revoked_on__isnull=True), name="role_once_per_position"
            ),
        )

    def __str__(self) -> str:
        return f"{self.position}: {self.role}"
