"""Imports: a file of people, how its columns are read, and what became of each row."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder.charts.models import Unit
from stepladder.identity import new_public_id


class Import(models.Model):
    """A file with people. It is looked through first; nothing changes before somebody says so."""

    class State(models.TextChoices):
        COLUMNS = "columns", "columns to be checked"
        LOOKING = "looking", "being looked through"
        LOOKED = "looked", "looked through, nothing changed yet"
        APPLYING = "applying", "being carried out"
        DONE = "done", "carried out"
        RETURNING = "returning", "being taken back"
        RETURNED = "returned", "taken back"
        REFUSED = "refused", "cannot be read"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    file_name = models.CharField(max_length=200)
    path = models.CharField(max_length=200)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="imports")
    made_at = models.DateTimeField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.COLUMNS)
    heads = models.JSONField(default=list)
    columns = models.JSONField(default=list)
    day_first = models.BooleanField(default=True)
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    trouble = models.CharField(max_length=400, blank=True)
    # Whoever is not in the file: None, they stay; else they left, with this last day; all, or those in a unit and below.
    missing_left_on = models.DateField(null=True, blank=True)
    missing_in = models.ForeignKey(Unit, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    missing = models.PositiveIntegerField(default=0)

    class Meta:
        db_table = "people_import"
        ordering = ("-made_at", "-pk")

    def __str__(self) -> str:
        return self.file_name

    @property
    def to_do(self) -> int:
        """How many rows there are to be looked at: those of the file, and who is missing from it."""
        return self.total + self.missing


class ImportRow(models.Model):
    """A row of the file: its cells, what would become of it, or became of it, and what is wrong with it."""

    job = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="rows")
    number = models.PositiveIntegerField()
    cells = models.JSONField()
    verdict = models.CharField(max_length=10)
    messages = models.JSONField(default=list)
    is_applied = models.BooleanField(default=False)
    # Of somebody who is not in the file: the cells are what would stand there.
    is_missing = models.BooleanField(default=False)

    class Meta:
        db_table = "people_importrow"
        constraints = (models.UniqueConstraint(fields=["job", "number"], name="import_row_once"),)
        indexes = (models.Index(fields=["job", "verdict"], name="import_row_by_verdict"),)

    def __str__(self) -> str:
        return f"{self.number}: {self.verdict}"
