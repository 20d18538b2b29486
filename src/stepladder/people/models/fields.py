"""Custom fields: what an organisation knows of its people beside what everybody needs."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.people.models.persons import Person


class PersonField(models.Model):
    """A field of the organisation's own. Ended: it is no longer asked for; what was written stays."""

    class Kind(models.TextChoices):
        TEXT = "text", "Text"
        NUMBER = "number", "Number"
        DAY = "day", "Day"
        CHOICE = "choice", "One of a list"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=60, unique=True)
    kind = models.CharField(max_length=10, choices=Kind.choices)
    choices = models.JSONField(default=list, blank=True)
    place = models.PositiveIntegerField(default=0)
    is_ended = models.BooleanField(default=False)

    class Meta:
        ordering = ("place", "name")

    def __str__(self) -> str:
        return self.name


class FieldValue(Fact):
    """What a field says of a person, as it is compared: a day as 2027-04-01, a number as it is written. One at a time."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="field_values")
    field = models.ForeignKey(PersonField, on_delete=models.PROTECT, related_name="values")
    value = models.CharField(max_length=200)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["person", "field"], condition=Q(revoked_on__isnull=True), name="one_known_value_of_a_field"
            ),
        )
        indexes = (models.Index(fields=["field", "value"], name="person_by_field_value"),)

    def __str__(self) -> str:
        return f"{self.person_id}: {self.value}"
