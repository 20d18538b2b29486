"""Imports: a file of people, how its columns are read, and what became of each row."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import Q

from stepladder.charts.models import Position, Unit
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
    # The sheet of a workbook that is read, of all that it has; and what stands over the heads.
    sheet = models.CharField(max_length=120, blank=True)
    sheets = models.JSONField(default=list, blank=True)
    above = models.JSONField(default=list, blank=True)
    day_first = models.BooleanField(default=True)
    # The file itself does not tell whether 04/12 is in April: days that could be either are named row by row.
    days_in_doubt = models.BooleanField(default=False)
    # Cells put right in the preview: row number → {column number: text}. The file stays as it came.
    corrections = models.JSONField(default=dict, blank=True)
    # What those who are new will be asked: [title, how many], the most first; and how many would be late as they come.
    asked = models.JSONField(default=list, blank=True)
    late = models.PositiveIntegerField(default=0)
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
    # What of the row is left out, or in doubt.
    notes = models.JSONField(default=list)
    # What its person will be asked, where they are new: [title, due day, whether it would be late].
    asked = models.JSONField(default=list)
    is_applied = models.BooleanField(default=False)
    # Of somebody who is not in the file: the cells are what would stand there.
    is_missing = models.BooleanField(default=False)

    class Meta:
        db_table = "people_importrow"
        constraints = (models.UniqueConstraint(fields=["job", "number"], name="import_row_once"),)
        indexes = (models.Index(fields=["job", "verdict"], name="import_row_by_verdict"),)

    def __str__(self) -> str:
        return f"{self.number}: {self.verdict}"


class Meaning(models.Model):
    """What a word of files means: “Dunlyn” is the unit Dunlin. Kept for the next file as well. *text* is casefolded."""

    text = models.CharField(max_length=300)
    unit = models.ForeignKey(Unit, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    position = models.ForeignKey(Position, on_delete=models.CASCADE, null=True, blank=True, related_name="+")

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(unit__isnull=False, position__isnull=True) | Q(unit__isnull=True, position__isnull=False),
                name="meaning_is_one_node",
            ),
            models.UniqueConstraint(fields=["text"], condition=Q(unit__isnull=False), name="unit_meant_once"),
            models.UniqueConstraint(fields=["text"], condition=Q(position__isnull=False), name="position_meant_once"),
        )

    def __str__(self) -> str:
        return f"{self.text} is {self.unit or self.position}"


class Shape(models.Model):
    """How files with these heads are read: the last choice of columns, kept for the next one. *heads* are a digest of them."""

    heads = models.CharField(max_length=64, unique=True)
    columns = models.JSONField()

    def __str__(self) -> str:
        return self.heads[:12]
