"""Whose reports are kept: those of who keeps them, and of whoever they are sent to."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.reports.models import KeptReport

__all__ = ["register"]


def _kept(account: Any) -> Q:
    return Q(owner=account.pk)


def _sent(account: Any) -> Q:
    return Q(pk__in=KeptReport.readers.through.objects.filter(account=account.pk).values("keptreport"))


def register() -> None:
    """Kept reports are their owner's, and seen by who they are sent to."""
    policy.relation_by_rows(KeptReport, policy.OWN, _kept, "Only who keeps a report changes it.")
    policy.relation_by_rows(KeptReport, policy.SEES, _sent, "This report is not sent to you.")
