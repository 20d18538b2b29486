"""Evidence packs: what was asked for, and what was made of it."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder.queue.models import MadeFile

__all__ = ["Pack"]


class Pack(MadeFile):
    """A sealed bundle for an auditor: who was covered on a day, and the proof. The queue makes it, and it is kept for a while.

    *reach* is a stored reach, *words* what it said when it was asked for; *courses* are keys. *holds*, *fails* and *unchecked* are the
    sentences of the check that each pack goes through here before anybody gets it.
    """

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    name = models.CharField(max_length=160)
    reach = models.JSONField()
    words = models.TextField()
    courses = models.JSONField()
    day = models.DateField()
    known_on = models.DateField()
    with_certificates = models.BooleanField(default=True)
    with_documents = models.BooleanField(default=True)
    people = models.PositiveIntegerField(default=0)
    seal = models.CharField(max_length=64, blank=True)
    head = models.CharField(max_length=90, blank=True)
    holds = models.JSONField(default=list)
    fails = models.JSONField(default=list)
    made_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return self.name

    @property
    def file_name(self) -> str:
        return f"evidence-{self.day}-{self.public_id}.zip"
