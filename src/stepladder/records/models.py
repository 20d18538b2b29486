"""Who moved since a board was last read."""

from __future__ import annotations

from django.db import models

from stepladder.people.models import Person


class Moved(models.Model):
    """A person whose reasons, validity spans or waivers changed (none: everybody's); the key is the change's number."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, null=True, related_name="+")

    class Meta:
        verbose_name_plural = "moved"
        constraints = (models.UniqueConstraint(fields=["person"], name="moved_last_of_a_person"),)

    def __str__(self) -> str:
        return f"{self.person_id or 'everybody'} at {self.pk}"


class CachedColumns(models.Model):
    """Which columns on disk (records/column_cache.py) are those of this database, and the newest change (Moved) that is in them."""

    token = models.CharField(max_length=20)
    change = models.BigIntegerField()
    made_at = models.DateTimeField()

    class Meta:
        verbose_name_plural = "cached columns"

    def __str__(self) -> str:
        return f"{self.token} up to {self.change}"
