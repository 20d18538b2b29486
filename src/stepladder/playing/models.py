"""What the package run-time keeps for an attempt at each part of a package, and what learners note."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.conf import settings
from django.db import models

from stepladder.core.packages.runtime import Before, RunState
from stepladder.identity import new_public_id
from stepladder.learning.models import Attempt
from stepladder.library.models import Module, ModuleVersion

__all__ = ["KEPT", "Note", "ScoState", "part_keys"]

# The fields that `ScoState.keep` sets.
KEPT = ("values", "seqs", "base_seconds", "launch", "before", "final_seq", "has_left")


def part_keys(scos: Sequence[Mapping[str, Any]]) -> list[str]:
    """What each part of a version is known by: its identifier in the manifest, with a number where one stands there twice."""
    found: list[str] = []
    for sco in scos:
        key = str(sco["key"])[:180]
        again = sum(other == key or other.startswith(f"{key} #") for other in found)
        found.append(f"{key} #{again + 1}" if again else key)
    return found


class ScoState(models.Model):
    """The data model of one part in one attempt (core.packages.runtime.RunState), kept by the part's identifier.

    *mode* is that of the newest launch; *standard* that of the version which the values were written under.
    """

    attempt = models.ForeignKey(Attempt, on_delete=models.CASCADE, related_name="scos")
    part = models.CharField(max_length=200)
    standard = models.CharField(max_length=12, blank=True)
    mode = models.CharField(max_length=10, default="normal")
    values = models.JSONField(default=dict)
    base_seconds = models.FloatField(default=0)
    launch = models.CharField(max_length=40, blank=True)
    # The launches before, the newest first: [name, seconds of it that are in the base].
    before = models.JSONField(default=list, blank=True)
    seqs = models.JSONField(default=dict)
    final_seq = models.BigIntegerField(null=True, blank=True)
    has_left = models.BooleanField(default=False)
    launches = models.PositiveIntegerField(default=0)
    is_done = models.BooleanField(default=False)
    # What it sent that could not be read: the sentence → how often (playing.package_trouble).
    refused = models.JSONField(default=dict, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["attempt", "part"], name="one_state_of_a_part"),)

    def __str__(self) -> str:
        return f"{self.attempt_id}/{self.part}"

    def state(self) -> RunState:
        """As the core knows it."""
        return RunState(
            self.values,
            self.base_seconds,
            self.launch,
            self.seqs,
            self.final_seq,
            self.has_left,
            tuple(Before(launch, seconds) for launch, seconds in self.before),
        )

    def keep(self, state: RunState) -> None:
        """Take the core's new state over; save is the caller's."""
        self.values, self.seqs = dict(state.values), dict(state.seqs)
        self.base_seconds, self.launch = state.base_seconds, state.launch
        self.before = [[one.launch, one.seconds] for one in state.before]
        self.final_seq, self.has_left = state.final_seq, state.has_left


class Note(models.Model):
    """What a learner wrote down at a place of a module: a second of film, a page, a part. Nobody else sees it.

    It is of the account, not of one enrolment: whoever learns the same again finds it there.
    """

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="notes")
    module = models.ForeignKey(Module, on_delete=models.CASCADE, related_name="notes")
    # The version it was written at: its place is of that one.
    version = models.ForeignKey(ModuleVersion, on_delete=models.SET_NULL, null=True, related_name="+")
    place = models.FloatField(default=0)
    text = models.TextField()
    made_at = models.DateTimeField()
    changed_at = models.DateTimeField()

    class Meta:
        ordering = ("place", "pk")
        indexes = (models.Index(fields=["account", "module"], name="notes_of_a_module"),)

    def __str__(self) -> str:
        return self.text[:40]
