"""What the package run-time keeps for an attempt at each sco."""

from __future__ import annotations

from django.db import models

from stepladder.core.packages.runtime import RunState
from stepladder.learning.models import Attempt


class ScoState(models.Model):
    """The data model of one sco in one attempt (core.packages.runtime.RunState)."""

    attempt = models.ForeignKey(Attempt, on_delete=models.CASCADE, related_name="scos")
    sco = models.PositiveIntegerField()
    values = models.JSONField(default=dict)
    base_seconds = models.FloatField(default=0)
    launch = models.CharField(max_length=40, blank=True)
    seqs = models.JSONField(default=dict)
    is_over = models.BooleanField(default=False)
    launches = models.PositiveIntegerField(default=0)
    is_done = models.BooleanField(default=False)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["attempt", "sco"], name="one_state_of_a_sco"),)

    def __str__(self) -> str:
        return f"{self.attempt_id}/{self.sco}"

    def state(self) -> RunState:
        """As the core knows it."""
        return RunState(self.values, self.base_seconds, self.launch, self.seqs, self.is_over)

    def keep(self, state: RunState) -> None:
        """Take the core's new state over; save is the caller's."""
        self.values, self.base_seconds = dict(state.values), state.base_seconds
        self.launch, self.seqs, self.is_over = state.launch, dict(state.seqs), state.is_over
