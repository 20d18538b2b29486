"""What the search knows of sessions."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.urls import reverse

from stepladder import events
from stepladder.accounts import policy
from stepladder.search import index
from stepladder.timetable.models import Session
from stepladder.timetable.queries import session_rows, with_all
from stepladder.web.templatetags.web import day

__all__ = ["index_sessions", "on_session", "visible_sessions"]


def index_sessions(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these sessions, or of all."""
    sessions = Session.objects.all() if keys is None else Session.objects.filter(pk__in=keys)
    return [
        index.Document(
            "session",
            row.session.pk,
            f"{row.session.module.title}, {day(row.first_day)}",
            " ".join([row.session.place, *(person.name for person in row.instructors)]),
            reverse("timetable:session", args=[row.session.public_id]),
            row.session.state,
        )
        for row in session_rows(with_all(sessions))
    ]


def visible_sessions(account: Any) -> QuerySet[Session]:
    """The sessions that the account may open."""
    return policy.visible(account, "open sessions", Session.objects.all())


def on_session(
    event: events.SessionPlanned | events.SessionRescheduled | events.SessionCancelled, act: events.Act
) -> None:
    index.refresh("session", (event.session,))
