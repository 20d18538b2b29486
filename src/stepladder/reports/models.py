"""Reports that somebody kept."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder.identity import new_public_id
from stepladder.queue.models import MadeFile

__all__ = ["KeptReport", "Place", "ReportFile", "Sending"]


class Place(models.TextChoices):
    """Where a report stands as a block; a sheet's is about what the sheet is about."""

    DESK = "desk", "my first page"
    UNIT = "unit", "sheets of units"
    COURSE = "course", "sheets of courses"
    PATH = "path", "sheets of paths"


class KeptReport(models.Model):
    """A report under a name of one's own: its *sentence* as it was written, relative days and all.

    It stands as a block in *places*, and is sent on *days*, to those in *readers*: each gets the rows that they may see.
    """

    class Days(models.TextChoices):
        NEVER = "", "not sent"
        DAILY = "daily", "every working day"
        WEEKLY = "weekly", "every first day of the week"
        MONTHLY = "monthly", "on the first of the month"
        QUARTERLY = "quarterly", "on the first day of a quarter"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="kept_reports")
    name = models.CharField(max_length=80)
    sentence = models.JSONField()
    kept_at = models.DateTimeField()
    days = models.CharField(max_length=10, choices=Days.choices, default=Days.NEVER, blank=True)
    readers = models.ManyToManyField(settings.AUTH_USER_MODEL, blank=True, related_name="+")
    places = models.JSONField(default=list, blank=True)
    # The last day for which it was handed over to be sent, and what keeps it from being sent.
    sent_on = models.DateField(null=True, blank=True)
    trouble = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ("name", "pk")
        constraints = (models.UniqueConstraint(fields=["owner", "name"], name="report_name_once_an_owner"),)

    def __str__(self) -> str:
        return self.name


class Sending(models.Model):
    """That a kept report is to go, or went, to somebody for a day; *rows* None: it has not been run yet, 0: there was nothing for them."""

    kept = models.ForeignKey(KeptReport, on_delete=models.CASCADE, related_name="sendings")
    reader = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    day = models.DateField()
    rows = models.PositiveIntegerField(null=True, blank=True)
    sent_at = models.DateTimeField(null=True, blank=True)
    trouble = models.CharField(max_length=300, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["kept", "reader", "day"], name="report_sent_once_a_day"),)

    def __str__(self) -> str:
        return f"{self.kept_id} to {self.reader_id} for {self.day}"


class ReportFile(MadeFile):
    """A large file of a report: *query* is the address of what is in it, *form* how it is written ("csv", "xlsx")."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    title = models.CharField(max_length=160)
    query = models.TextField()
    form = models.CharField(max_length=4)

    def __str__(self) -> str:
        return f"{self.title} as {self.form}"
