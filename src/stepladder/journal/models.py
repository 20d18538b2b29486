"""The append-only, hash-chained log of every change that matters."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.events import Act


class Entry(models.Model):
    """One act: who, what, to which object, and the digests of the fact rows it wrote.

    Names are those known then; nothing here points at rows of other apps.
    """

    number = models.BigAutoField(primary_key=True)
    at = models.DateTimeField()
    actor_id = models.CharField(max_length=40, blank=True)
    actor_name = models.CharField(max_length=200)
    verb = models.CharField(max_length=60)
    object_kind = models.CharField(max_length=40, blank=True)
    object_id = models.CharField(max_length=40, blank=True)
    object_name = models.CharField(max_length=300, blank=True)
    data = models.JSONField(default=dict)
    # The act as events carry it; only on the entry that `record` has just returned.
    act: Act
    # The number of the act that this one takes back.
    takes_back = models.BigIntegerField(null=True, blank=True)
    # Of its rows of facts, and of its seals; empty where there are none.
    rows_digest = models.CharField(max_length=64, blank=True)
    seals_digest = models.CharField(max_length=64, blank=True)
    previous = models.CharField(max_length=64)
    digest = models.CharField(max_length=64)

    class Meta:
        verbose_name_plural = "entries"
        indexes = (
            models.Index(fields=["object_kind", "object_id"], name="entry_by_object"),
            models.Index(fields=["actor_id"], name="entry_by_actor"),
            models.Index(fields=["verb"], name="entry_by_verb"),
            models.Index(fields=["at"], name="entry_by_day"),
        )
        constraints = (
            models.UniqueConstraint(
                fields=["takes_back"], condition=Q(takes_back__isnull=False), name="taken_back_once"
            ),
        )

    def __str__(self) -> str:
        return f"{self.number} {self.verb} {self.object_name}"


class EntryRow(models.Model):
    """A fact row as an entry left it: its digest then."""

    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, related_name="rows")
    table = models.CharField(max_length=60)
    row = models.BigIntegerField()
    digest = models.CharField(max_length=64)

    class Meta:
        indexes = (models.Index(fields=["table", "row"], name="entry_row_by_row"),)

    def __str__(self) -> str:
        return f"{self.table} {self.row}"


class Seal(models.Model):
    """A row of a watched table (sealing.py) as an entry left it: its digest then, empty where the row was deleted."""

    entry = models.ForeignKey(Entry, on_delete=models.PROTECT, related_name="seals")
    table = models.CharField(max_length=60)
    row = models.BigIntegerField()
    digest = models.CharField(max_length=64, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["entry", "table", "row"], name="sealed_once_by_an_entry"),)
        indexes = (models.Index(fields=["table", "row"], name="seal_by_row"),)

    def __str__(self) -> str:
        return f"{self.table} {self.row}"


class Shortened(models.Model):
    """An entry whose words were taken out of it, since who they were about is kept as a number only (journal/shortening.py).

    *content* is the digest of what it said, by which it stands in the chain still; *shown* that of what it says now. Its rows are
    digested by the entry of the act that shortened it, so that the words that are left cannot be changed unseen either.
    """

    entry = models.OneToOneField(Entry, on_delete=models.PROTECT, related_name="shortened")
    content = models.CharField(max_length=64)
    shown = models.CharField(max_length=64)

    class Meta:
        verbose_name_plural = "shortened entries"

    def __str__(self) -> str:
        return f"{self.entry_id}"
