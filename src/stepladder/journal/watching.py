"""When connections get the triggers that watch tables (sealing.py), and when a table is digested as a whole."""

from __future__ import annotations

from typing import Any

from django.db import connection, transaction

from stepladder.journal import sealing
from stepladder.journal.actions import APPLICATION, Named, record, reseal
from stepladder.journal.models import Seal


def on_connection(**signal: Any) -> None:
    sealing.install(signal["connection"])


def before_migrations(**_: Any) -> None:
    # Tables are made anew by migrations, and the journal itself may not be as it is read now.
    sealing.suspend(connection)


@transaction.atomic
def after_migrations(**_: Any) -> None:
    """Tables of which the journal has no digest yet are digested as they are."""
    known = set(Seal.objects.values_list("table", flat=True).distinct())
    new = [model for model in sealing.watched_models() if model._meta.db_table not in known]
    counts = {model: count for model in new if (count := model._default_manager.count())}
    if counts:
        what = ", ".join(f"{count} {sealing.named(model, count)}" for model, count in counts.items())
        entry = record("begin_watching", by=APPLICATION, about=Named("", "", ""), data={"what": what})
        for model in counts:
            sealing.seal_table(connection, model, entry.number)
        reseal(entry)
    sealing.install(connection)
