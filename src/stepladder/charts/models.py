"""Charts, their nodes, where each node hangs over time, and which part of them an account administers."""

from __future__ import annotations

from datetime import date

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from stepladder.facts import Fact
from stepladder.identity import new_public_id

# A branch from this day on is one that was there from the beginning.
BEGINNING = date(1900, 1, 1)


class Chart(models.Model):
    """One tree of units or of positions; one of each kind is the main one."""

    class Kind(models.TextChoices):
        UNIT = "unit", "Units"
        POSITION = "position", "Positions"

    kind = models.CharField(max_length=10, choices=Kind.choices)
    name = models.CharField(max_length=120)
    is_main = models.BooleanField(default=False)

    class Meta:
        db_table = "people_chart"
        constraints = (
            models.UniqueConstraint(fields=["kind"], condition=Q(is_main=True), name="one_main_chart_of_a_kind"),
        )

    def __str__(self) -> str:
        return self.name


class Site(models.Model):
    """Where a unit is."""

    name = models.CharField(max_length=120, unique=True)

    class Meta:
        db_table = "people_site"

    def __str__(self) -> str:
        return self.name


class Node(models.Model):
    """A node of a chart: *name* is what it is called today, *place* its order beside others; where it hangs, its branches say.

    Locked: only who may manage the charts may place people there.
    """

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    chart = models.ForeignKey(Chart, on_delete=models.PROTECT)
    name = models.CharField(max_length=120)
    place = models.PositiveIntegerField(default=0)
    is_locked = models.BooleanField(default=False)

    class Meta:
        abstract = True
        ordering = ("place", "name")

    def __str__(self) -> str:
        return self.name


class Unit(Node):
    """A department, vessel, site …"""

    class Meta(Node.Meta):
        db_table = "people_unit"


class Position(Node):
    """What one is: deckhand, chief engineer …"""

    class Meta(Node.Meta):
        db_table = "people_position"


class Branch(Fact):
    """Where a node hangs from a day to a day or on: under another or at the top, and by what name."""

    name = models.CharField(max_length=120)
    from_day = models.DateField(default=BEGINNING)
    to_day = models.DateField(null=True, blank=True)

    class Meta:
        abstract = True
        constraints = (
            models.CheckConstraint(
                condition=Q(to_day__isnull=True) | Q(to_day__gte=F("from_day")), name="%(class)s_ends_after_it_begins"
            ),
            models.UniqueConstraint(
                fields=["node", "from_day"], condition=Q(revoked_on__isnull=True), name="one_%(class)s_from_a_day"
            ),
        )

    def __str__(self) -> str:
        return f"{self.name} from {self.from_day}"


class UnitBranch(Branch):
    """Where a unit hangs, and its site if it has one of its own."""

    node = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="branches")
    parent = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    site = models.ForeignKey(Site, on_delete=models.PROTECT, null=True, blank=True)

    class Meta(Branch.Meta):
        db_table = "people_unitbranch"
        verbose_name_plural = "unit branches"


class PositionBranch(Branch):
    """Where a position hangs."""

    node = models.ForeignKey(Position, on_delete=models.PROTECT, related_name="branches")
    parent = models.ForeignKey(Position, on_delete=models.PROTECT, null=True, blank=True, related_name="+")

    class Meta(Branch.Meta):
        db_table = "people_positionbranch"
        verbose_name_plural = "position branches"


class AdministeredPart(models.Model):
    """A unit that an account administers, with everything below it."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="parts")
    unit = models.ForeignKey(Unit, on_delete=models.PROTECT, related_name="administered_by")

    class Meta:
        db_table = "people_administeredpart"
        constraints = (models.UniqueConstraint(fields=["account", "unit"], name="part_once_per_account"),)

    def __str__(self) -> str:
        return f"{self.account}: {self.unit}"
