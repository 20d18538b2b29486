"""What people write to others, and what these answer."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder.identity import new_public_id
from stepladder.people.models import Person

__all__ = ["Answer", "Message", "Thread"]


class Message(models.Model):
    """What somebody wrote to people at once. *about*: what they are the people of: “the course Fire on board”."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    subject = models.CharField(max_length=160)
    text = models.TextField()
    about = models.CharField(max_length=300, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="messages_written")
    at = models.DateTimeField()
    # To how many it goes; its threads follow in the queue where they are many.
    people = models.PositiveIntegerField()

    class Meta:
        ordering = ("-at", "-pk")

    def __str__(self) -> str:
        return self.subject


class Thread(models.Model):
    """A message as one person has it, with what was answered. *waits*: their answer has not been answered, nor put away."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    message = models.ForeignKey(Message, on_delete=models.CASCADE, related_name="threads")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="threads")
    read_at = models.DateTimeField(null=True, blank=True)
    waits = models.BooleanField(default=False)
    answered_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["message", "person"], name="one_thread_a_person"),)
        indexes = (models.Index(fields=["person", "read_at"], name="thread_by_person"),)

    def __str__(self) -> str:
        return f"{self.message_id} to {self.person_id}"


class Answer(models.Model):
    """One answer in a thread, by the person it is of (*is_theirs*) or by who wrote the message."""

    thread = models.ForeignKey(Thread, on_delete=models.CASCADE, related_name="answers")
    text = models.TextField()
    is_theirs = models.BooleanField()
    by_name = models.CharField(max_length=200)
    at = models.DateTimeField()

    class Meta:
        ordering = ("at", "pk")

    def __str__(self) -> str:
        return f"{self.by_name} at {self.at}"
