"""Who leads whom."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q

from stepladder.charts.models import Position, Unit
from stepladder.facts import Fact
from stepladder.people.models.persons import Person
from stepladder.reaches.models import Group


class Lead(Fact):
    """Who answers for whom: a holder, a field, powers (of core.leads.Power), from a day to a day or on."""

    class Field(models.TextChoices):
        OWN_UNIT = "own unit", "The unit they are placed in, and below"
        UNIT = "unit", "A given unit, and below"
        POSITIONS = "positions below", "All positions below theirs"
        NAMED = "named", "People by name, or a group"

    holder_position = models.ForeignKey(
        Position, on_delete=models.PROTECT, null=True, blank=True, related_name="leads_held"
    )
    holder_person = models.ForeignKey(
        Person, on_delete=models.PROTECT, null=True, blank=True, related_name="leads_held"
    )
    field = models.CharField(max_length=20, choices=Field.choices)
    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, blank=True, related_name="leads_of")
    named = models.JSONField(default=list, blank=True)
    group = models.ForeignKey(Group, on_delete=models.PROTECT, null=True, blank=True, related_name="leads_of")
    powers = models.JSONField(default=list)
    from_day = models.DateField()
    to_day = models.DateField(null=True, blank=True)

    class Meta:
        db_table = "people_lead"
        constraints = (
            models.CheckConstraint(
                condition=Q(to_day__isnull=True) | Q(to_day__gte=F("from_day")), name="lead_ends_after_it_begins"
            ),
            models.CheckConstraint(
                condition=Q(holder_position__isnull=False, holder_person__isnull=True)
                | Q(holder_position__isnull=True, holder_person__isnull=False),
                name="lead_has_one_holder",
            ),
            models.CheckConstraint(
                condition=(Q(field="unit") & Q(unit__isnull=False)) | (~Q(field="unit") & Q(unit__isnull=True)),
                name="lead_of_a_unit_names_it",
            ),
        )

    def __str__(self) -> str:
        return f"{self.holder_position or self.holder_person}: {self.field}"
