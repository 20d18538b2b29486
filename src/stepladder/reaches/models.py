"""Groups: a named set of people, by a fixed list or by conditions."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.web.models import Sheet


class Group(Sheet):
    """A named set of people. Whom it means is its rule known on a day."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=120, unique=True)
    note = models.TextField(blank=True)

    class Meta:
        db_table = "people_group"
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class GroupRule(Fact):
    """Whom a group means: a stored reach. One that is known at a time."""

    group = models.ForeignKey(Group, on_delete=models.PROTECT, related_name="rules")
    reach = models.JSONField()

    class Meta:
        db_table = "people_grouprule"
        constraints = (
            models.UniqueConstraint(
                fields=["group"], condition=Q(revoked_on__isnull=True), name="one_known_rule_of_a_group"
            ),
        )

    def __str__(self) -> str:
        return f"{self.group_id} as of {self.recorded_on}"
