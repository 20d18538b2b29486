"""Work that follows an act, cut into pieces: what is done of it, and what is left."""

from __future__ import annotations

from django.db import models
from django.db.models import F, Q

from stepladder import clock
from stepladder.identity import new_public_id


class MadeFile(models.Model):
    """A file that the queue makes for whoever asked for it: how far it is, or what went wrong. The file goes after a while."""

    class State(models.TextChoices):
        WAITING = "waiting", "waiting to be made"
        WORKING = "working", "being made"
        DONE = "done", "ready"
        FAILED = "failed", "not made"
        DROPPED = "dropped", "no longer kept"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    trouble = models.TextField(blank=True)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    size = models.BigIntegerField(default=0)
    created_at = models.DateTimeField(default=clock.now)

    class Meta:
        abstract = True
        ordering = ("-created_at", "-pk")

    @property
    def is_under_way(self) -> bool:
        return self.state in (self.State.WAITING, self.State.WORKING)


class Work(models.Model):
    """What one act hands over. Its rows bear the act's instant, *at*, whenever the queue comes to them.

    *kind* names what is done (kinds.py), *said* what it is told beside the ids; *total* and *done* count ids. *act* is the
    number of the act in the journal, *actor_id* and *actor_name* say whose it was, and *object_kind*, *object_id* what it is about.
    """

    kind = models.CharField(max_length=60)
    said = models.JSONField(default=dict)
    at = models.DateTimeField()
    act = models.BigIntegerField(null=True, blank=True)
    actor_id = models.CharField(max_length=40, blank=True)
    actor_name = models.CharField(max_length=200)
    object_kind = models.CharField(max_length=40, blank=True)
    object_id = models.CharField(max_length=40, blank=True)
    object_name = models.CharField(max_length=300, blank=True)
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    # Whether its pieces are cut: before, how much there is of it is an estimate.
    is_cut = models.BooleanField(default=False)
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        indexes = (
            models.Index(
                fields=["object_kind", "object_id"], condition=Q(ended_at__isnull=True), name="work_under_way"
            ),
        )
        constraints = (
            models.CheckConstraint(condition=Q(is_cut=False) | Q(done__lte=F("total")), name="no_more_done_than_owed"),
        )

    def __str__(self) -> str:
        return f"{self.kind}: {self.done} of {self.total}"


class Piece(models.Model):
    """So many ids of a work: one transaction, done once."""

    work = models.ForeignKey(Work, on_delete=models.CASCADE, related_name="pieces")
    number = models.PositiveIntegerField()
    ids = models.JSONField()
    done_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["work", "number"], name="piece_once"),)

    def __str__(self) -> str:
        return f"{self.work_id}, {self.number}"
