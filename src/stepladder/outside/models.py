"""Training that people had elsewhere, or before anybody kept records here."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.courses.models import Course
from stepladder.identity import new_public_id
from stepladder.learning.models import Completion, ShareField
from stepladder.library.models import StoredFile
from stepladder.people.models import Person

__all__ = ["HistoryFile", "HistoryRow", "OutsideTraining"]


class OutsideTraining(models.Model):
    """What somebody learned outside: which *course* it counts as, or by its *title* alone where none of ours; with its document.

    Confirmed, it is a completion of its course, with an expiry of its own where the paper has one.
    """

    class State(models.TextChoices):
        ASKED = "asked", "waits to be confirmed"
        CONFIRMED = "confirmed", "confirmed"
        REFUSED = "refused", "not confirmed"
        WITHDRAWN = "withdrawn", "withdrawn"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="outside_training")
    course = models.ForeignKey(Course, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    title = models.CharField(max_length=160)
    day = models.DateField()
    own_expiry = models.DateField(null=True, blank=True)
    # Who gave it.
    provider = models.CharField(max_length=160, blank=True)
    minutes = models.PositiveIntegerField(null=True, blank=True)
    note = models.TextField(blank=True)
    document = models.ForeignKey(
        StoredFile, on_delete=models.PROTECT, null=True, blank=True, related_name="in_outside_training"
    )
    document_name = models.CharField(max_length=255, blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.ASKED)
    asked_at = models.DateTimeField()
    # Whoever wrote it down: the person, or who keeps records.
    asked_by = models.CharField(max_length=200)
    decided_at = models.DateTimeField(null=True, blank=True)
    decided_by = models.CharField(max_length=200, blank=True)
    words = models.CharField(max_length=500, blank=True)
    completion = models.ForeignKey(Completion, on_delete=models.PROTECT, null=True, blank=True, related_name="outside")

    class Meta:
        indexes = (
            models.Index(fields=["person", "day"], name="outside_by_person"),
            models.Index(fields=["state", "asked_at"], name="outside_by_state"),
        )
        constraints = (
            models.CheckConstraint(
                condition=Q(state="confirmed", decided_at__isnull=False) | ~Q(state="confirmed"),
                name="outside_confirmed_at_an_instant",
            ),
            models.CheckConstraint(
                condition=Q(own_expiry__isnull=True) | Q(own_expiry__gte=models.F("day")),
                name="outside_runs_out_after_it",
            ),
        )

    def __str__(self) -> str:
        return f"{self.title} of {self.person_id} on {self.day}"


class HistoryFile(models.Model):
    """A file of what people completed before or elsewhere, its rows judged; carried out in pieces, and taken back so."""

    class State(models.TextChoices):
        JUDGED = "judged", "looked through"
        RECORDED = "recorded", "recorded"
        RETURNED = "returned", "taken back"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=255)
    at = models.DateTimeField()
    by_name = models.CharField(max_length=200)
    state = models.CharField(max_length=10, choices=State.choices, default=State.JUDGED)
    heads = models.JSONField()

    class Meta:
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.name


class HistoryRow(models.Model):
    """A row of a file as it stood there and as it was understood; what it became."""

    file = models.ForeignKey(HistoryFile, on_delete=models.CASCADE, related_name="rows")
    number = models.PositiveIntegerField()
    cells = models.JSONField()
    verdict = models.CharField(max_length=30)
    reason = models.CharField(max_length=300, blank=True)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, null=True, related_name="+")
    course = models.ForeignKey(Course, on_delete=models.CASCADE, null=True, related_name="+")
    title = models.CharField(max_length=160, blank=True)
    day = models.DateField(null=True)
    own_expiry = models.DateField(null=True)
    score = ShareField()
    provider = models.CharField(max_length=160, blank=True)
    note = models.TextField(blank=True)
    training = models.OneToOneField(OutsideTraining, on_delete=models.PROTECT, null=True, related_name="from_row")

    class Meta:
        indexes = (models.Index(fields=["file", "verdict", "number"], name="history_row_by_verdict"),)

    def __str__(self) -> str:
        return f"{self.file_id}, row {self.number}"
