"""Tasks as they are written and released, who asked for a sign-off, and what was signed."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models import Q

from stepladder.core.sign_offs import CheckList, kept
from stepladder.facts import Fact
from stepladder.learning.models import Attempt
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.web.models import Sheet

__all__ = ["Asked", "SignOff", "Task"]


def _empty_list() -> dict[str, Any]:
    return kept(CheckList())


class Task(Sheet):
    """The check list of a module as it is being written; what was released of it is in the data of its versions ("check_list").

    *named* may sign it off for anybody; beside them, unless *only_named*, whoever leads somebody with the power "sign off".
    """

    module = models.OneToOneField(Module, on_delete=models.CASCADE, related_name="task")
    check_list = models.JSONField(default=_empty_list)
    has_changes = models.BooleanField(default=True)
    named = models.ManyToManyField(Person, related_name="+", blank=True)
    only_named = models.BooleanField(default=False)

    def __str__(self) -> str:
        return str(self.module)


class Asked(models.Model):
    """That whoever learns asks for a sign-off, of somebody or of whoever may; settled by a sign-off, or taken back."""

    attempt = models.ForeignKey(Attempt, on_delete=models.CASCADE, related_name="asked_sign_offs")
    at = models.DateTimeField()
    of = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    words = models.CharField(max_length=300, blank=True)
    settled_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        indexes = (models.Index(fields=["settled_at", "at"], name="asked_and_waiting"),)
        constraints = (
            models.UniqueConstraint(
                fields=["attempt"], condition=Q(settled_at__isnull=True), name="asked_once_at_a_time"
            ),
        )

    def __str__(self) -> str:
        return f"{self.attempt_id}, asked {self.at}"


class SignOff(Fact):
    """What somebody saw of a task on a day and signed. *at* is the instant from which it counts, *signed_at* when it was signed.

    *key* was made where it was signed: sent twice, it is one. *met* and *not_yet* are keys of criteria. A signature is strokes of
    [x, y] (core.sign_offs.FIELD), or a name that was typed. *photo*: the digest of a picture (library.own_pictures).
    """

    key = models.CharField(max_length=40)
    attempt = models.ForeignKey(Attempt, on_delete=models.PROTECT, related_name="sign_offs")
    signer = models.ForeignKey(Person, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    by_name = models.CharField(max_length=200)
    day = models.DateField()
    at = models.DateTimeField()
    signed_at = models.DateTimeField()
    reason = models.CharField(max_length=300, blank=True)
    met = models.JSONField(default=list)
    not_yet = models.JSONField(default=list)
    note = models.TextField(blank=True)
    minutes = models.PositiveIntegerField()
    photo = models.CharField(max_length=64, blank=True)
    photo_shows = models.CharField(max_length=200, blank=True)
    signature = models.JSONField(default=list)
    signature_of_learner = models.JSONField(null=True, blank=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["key"], condition=Q(revoked_on__isnull=True), name="signed_once_by_its_key"
            ),
        )

    def __str__(self) -> str:
        return f"{self.attempt_id} on {self.day}, by {self.by_name}"
