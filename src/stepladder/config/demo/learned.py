"""How long people learned at what they have opened, as players would have told it."""

from __future__ import annotations

import random
from datetime import timedelta

from stepladder.learning.models import Attempt, Stretch

__all__ = ["make_time_spent"]

# Dice of its own, so that what else the demo has stays as it is.
SEED = 16


def make_time_spent() -> None:
    """A stretch before the last thing that each attempt told, where none is kept yet."""
    dice = random.Random(SEED)  # noqa: S311 - made-up data
    rows = []
    for attempt in Attempt.objects.filter(stretches=None).order_by("pk"):
        seconds = round((attempt.seconds or 180) * dice.uniform(0.8, 3.2))
        end = attempt.last_at
        rows.append(Stretch(attempt=attempt, began_at=end - timedelta(seconds=seconds), ended_at=end))
    Stretch.objects.bulk_create(rows)
