"""Facts with two clocks: when they hold, and when they were recorded and revoked. Rule: 5, "As of"."""

from __future__ import annotations

import hashlib
import json
from datetime import UTC, date, datetime
from typing import Any, Self

from django.db import models

from stepladder import clock
from stepladder.identity import new_public_id

__all__ = ["Fact", "FactQuerySet", "row_digest"]


def _today() -> date:
    return clock.today()


class FactQuerySet(models.QuerySet[Any]):
    """Facts as known on a day."""

    def known_on(self, day: date) -> Self:
        """Recorded by *day* and not revoked by then."""
        return self.filter(recorded_on__lte=day).exclude(revoked_on__lte=day)

    def known_now(self) -> Self:
        """Never revoked."""
        return self.filter(revoked_on__isnull=True)


class Fact(models.Model):
    """A fact that is never changed: a correction revokes it and records a new one."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    recorded_on = models.DateField(default=_today)
    revoked_on = models.DateField(null=True, blank=True)

    objects = FactQuerySet.as_manager()

    class Meta:
        abstract = True

    @property
    def is_revoked(self) -> bool:
        return self.revoked_on is not None

    def revoke(self) -> None:
        """Say that it never was. It stays known for the days before."""
        self.revoked_on = clock.today()
        self.save(update_fields=["revoked_on"])


def row_digest(row: models.Model) -> str:
    """A digest of every column of a row, so that a change behind the application's back can be found."""
    values = {}
    for column in row._meta.concrete_fields:
        value = getattr(row, column.attname)
        if isinstance(value, datetime):
            # The same instant reads back in UTC, whatever zone it was written in.
            value = value.astimezone(UTC)
        values[column.attname] = value if isinstance(value, int | float | bool | None) else str(value)
    text = json.dumps(values, sort_keys=True, default=str, ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()
