"""What every sheet has, and which forms have been sent."""

from __future__ import annotations

from django.db import models


class Sheet(models.Model):
    """Something people edit: its revision grows with each change, so that nobody overwrites a newer one unseen."""

    revision = models.PositiveIntegerField(default=1)
    changed_at = models.DateTimeField(null=True)
    changed_by = models.CharField(max_length=200, blank=True)

    class Meta:
        abstract = True


class DailyRun(models.Model):
    """A daily task and the last day for which it was enqueued."""

    name = models.CharField(max_length=60, unique=True)
    day = models.DateField()

    def __str__(self) -> str:
        return f"{self.name} on {self.day}"


class SentForm(models.Model):
    """A form that was taken, by the token it carried: sent twice, it acts once."""

    token = models.CharField(max_length=40, unique=True)
    answer = models.CharField(max_length=400)
    at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.token
