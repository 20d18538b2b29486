"""Seeing to what the background queue could not do."""

from __future__ import annotations

from django.db import transaction

from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.queue import actions as queue
from stepladder.queue.queries import failed

__all__ = ["put_away", "run_again"]


@transaction.atomic
def run_again(*, key: str, by: Actor) -> bool:
    """Hand a task that failed to the queue once more; whether it was still there."""
    policy.require(by, "see to the queue")
    return _record("run_again", key, by) and queue.run_again(key=key)


@transaction.atomic
def put_away(*, key: str, by: Actor) -> bool:
    """Show a task that failed no longer: somebody has seen to it otherwise; whether it was still there."""
    policy.require(by, "see to the queue")
    return _record("put_away", key, by) and queue.put_away(key=key)


def _record(verb: str, key: str, by: Actor) -> bool:
    found = next((task for task in failed() if task.key == key), None)
    if found is None:
        return False
    record(verb, by=by, about=Named("task", "", found.what), data={"why": found.why})
    return True
