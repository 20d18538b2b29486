"""What was told to whom, when, and through which channel."""

from __future__ import annotations

from django.db import models

from stepladder.identity import new_public_id
from stepladder.people.models import Person


class Wording(models.Model):
    """The organisation's own words for a kind of notice, in place of those it comes with."""

    kind = models.CharField(max_length=30, unique=True)
    subject = models.CharField(max_length=200)
    text = models.TextField()

    def __str__(self) -> str:
        return self.kind


class Sample(models.Model):
    """What stood in the fields of the last notice of a kind to somebody: with it one sees how other words would read to them. Of each
    kind those of the people who were told last are kept."""

    kind = models.CharField(max_length=30)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="+")
    fields = models.JSONField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["kind", "person"], name="sample_once_a_kind_and_person"),)
        ordering = ("-pk",)

    def __str__(self) -> str:
        return self.kind


class Notice(models.Model):
    """One thing told to one person, with a direct link. *sent_at* None: it still waits to be sent."""

    class Channel(models.TextChoices):
        MAIL = "mail", "by e-mail"
        HERE = "here", "in the application"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="notices")
    kind = models.CharField(max_length=30)
    subject = models.CharField(max_length=200)
    text = models.TextField()
    path = models.CharField(max_length=300)
    # An iCalendar object that goes with it (RFC 5545): an invitation, its update or its cancellation.
    calendar = models.TextField(blank=True)
    channel = models.CharField(max_length=6, choices=Channel.choices)
    made_at = models.DateTimeField()
    sent_at = models.DateTimeField(null=True, blank=True)
    trouble = models.CharField(max_length=300, blank=True)

    class Meta:
        indexes = (models.Index(fields=["person", "made_at"], name="notice_by_person"),)

    def __str__(self) -> str:
        return f"{self.subject} to {self.person_id}"
