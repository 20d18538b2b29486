"""Persons, when they are employed, where they are placed, and when they are away."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q
from django.db.models.functions import Lower

from stepladder.charts.models import Position, Unit
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.web.models import Sheet


class Person(Sheet):
    """An employee or an outside learner. Employee numbers are unique and never used again."""

    class Kind(models.TextChoices):
        EMPLOYEE = "employee", "Employee"
        OUTSIDE = "outside", "Outside learner"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    employee_number = models.CharField(max_length=30, unique=True)
    given_name = models.CharField(max_length=80)
    family_name = models.CharField(max_length=80)
    email = models.EmailField(blank=True)
    phone = models.CharField(max_length=40, blank=True)
    # What another system calls this person, so that it can find them whatever becomes of number and name.
    outside_id = models.CharField(
        max_length=120,
        unique=True,
        null=True,
        blank=True,
        error_messages={"unique": "Somebody else has this identifier. Look at it in the other system again."},
    )
    kind = models.CharField(max_length=10, choices=Kind.choices, default=Kind.EMPLOYEE)
    account = models.OneToOneField(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="person"
    )

    # From when on only their number is kept, with no name that anybody could be called by.
    shortened_on = models.DateField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "people"
        indexes = (models.Index(fields=["family_name", "given_name"], name="person_by_name"),)
        constraints = (models.UniqueConstraint(Lower("employee_number"), name="number_once_whatever_its_case"),)

    def __str__(self) -> str:
        return self.name

    @property
    def name(self) -> str:
        """Given name, then family name."""
        return f"{self.given_name} {self.family_name}"


class Employment(Fact):
    """From the day hired to the day left, both included. One that is known at a time."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="employments")
    hired_on = models.DateField()
    left_on = models.DateField(null=True, blank=True)

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(left_on__isnull=True) | Q(left_on__gte=F("hired_on")), name="left_after_hired"
            ),
            models.UniqueConstraint(
                fields=["person"], condition=Q(revoked_on__isnull=True), name="one_known_employment"
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id}: {self.hired_on} to {self.left_on or '…'}"


class Placement(Fact):
    """A person in a unit, at a position, from a day to a day or open."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="placements")
    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="placements")
    position = models.ForeignKey(Position, on_delete=models.PROTECT, null=True, blank=True, related_name="placements")
    from_day = models.DateField()
    to_day = models.DateField(null=True, blank=True)

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(to_day__isnull=True) | Q(to_day__gte=F("from_day")), name="placement_ends_after_it_begins"
            ),
            models.UniqueConstraint(
                fields=["person", "unit", "position", "from_day"],
                condition=Q(revoked_on__isnull=True, position__isnull=False),
                name="placed_at_a_position_once",
            ),
            models.UniqueConstraint(
                fields=["person", "unit", "from_day"],
                condition=Q(revoked_on__isnull=True, position__isnull=True),
                name="placed_in_a_unit_once",
            ),
        )
        indexes = (
            models.Index(fields=["person", "from_day"], name="placement_by_person"),
            models.Index(fields=["unit", "from_day"], name="placement_by_unit"),
            # Few are revoked: how many tells whether any was, without reading them all.
            models.Index(fields=["revoked_on"], condition=Q(revoked_on__isnull=False), name="placement_revoked"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} in {self.unit_id} from {self.from_day}"


class Leave(Fact):
    """Leave of absence, both days included; without an end until one is known."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="leaves")
    from_day = models.DateField()
    to_day = models.DateField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "leave"
        constraints = (
            models.CheckConstraint(
                condition=Q(to_day__isnull=True) | Q(to_day__gte=F("from_day")), name="leave_ends_after_it_begins"
            ),
            models.UniqueConstraint(
                fields=["person", "from_day"], condition=Q(revoked_on__isnull=True), name="one_leave_from_a_day"
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} away from {self.from_day}"
