"""Simulated outside services: the mail tray, where e-mail lands while no mail server is set."""

from __future__ import annotations

from django.db import models

from stepladder.identity import new_public_id


class TrayMail(models.Model):
    """An e-mail that would have been sent."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    to = models.CharField(max_length=254, db_index=True)
    sender = models.CharField(max_length=254)
    subject = models.CharField(max_length=300)
    text = models.TextField()
    # What came with it: [{"name": …, "type": …, "text": …}].
    attached = models.JSONField(default=list)
    at = models.DateTimeField()

    class Meta:
        ordering = ("-at", "-pk")

    def __str__(self) -> str:
        return f"{self.subject} to {self.to}"
