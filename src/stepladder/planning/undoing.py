"""Taking back that a plan was taken over: in pieces, as it was carried out."""

from __future__ import annotations

from typing import Any

from stepladder import events
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.planning.models import Plan, PlanSession
from stepladder.queue.actions import in_pieces
from stepladder.queue.queries import under_way
from stepladder.timetable.models import Session

__all__ = ["register"]


def _sessions(entry: Entry) -> Any:
    return Session.objects.filter(pk__in=_rows(entry).values("session"))


def _rows(entry: Entry) -> Any:
    return PlanSession.objects.filter(plan__act=entry.number, session__isnull=False)


def _against(entry: Entry) -> list[str]:
    if under_way("plan", entry.object_id):
        return ["It is being carried out still. Wait until all of it stands."]
    return []


def _undo(entry: Entry, act: events.Act) -> None:
    Plan.objects.filter(act=entry.number).update(state=Plan.State.RETURNED)
    in_pieces("plan returned", ids=list(_rows(entry).values_list("pk", flat=True)), act=act)


def register() -> None:
    undoing.add_inverse("plan sessions", "take_over_plan", whose=_sessions, depends=_against, undo=_undo)
