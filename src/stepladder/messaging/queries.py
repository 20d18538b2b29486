"""Reading messages and answers."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Count, Q, QuerySet

from stepladder.accounts.models import Role
from stepladder.accounts.policy import roles_of
from stepladder.messaging.models import Message, Thread
from stepladder.people.models import Person

__all__ = ["threads_of", "unread_by", "waiting_answers", "written_by"]


def written_by(account: Any) -> QuerySet[Message]:
    """What an account wrote, the newest first, with how many read, answered and wait."""
    return (
        Message.objects.filter(by=account.pk)
        .annotate(
            read=Count("threads", filter=Q(threads__read_at__isnull=False)),
            answered=Count("threads", filter=Q(threads__answered_at__isnull=False)),
            waiting=Count("threads", filter=Q(threads__waits=True)),
            # The order is said again: a query that groups does not take it from the model.
        )
        .order_by("-at", "-pk")
    )


def threads_of(message: Message) -> QuerySet[Thread]:
    """To whom a message went: those whose answer waits first, then who answered, then by name."""
    rows = message.threads.select_related("person", "message").prefetch_related("answers")
    return rows.order_by("-waits", "-answered_at", "person__family_name", "person__given_name", "pk")


def waiting_answers(account: Any) -> QuerySet[Thread]:
    """The answers that wait for an account; of those whose writer can sign in no more, for the administrators."""
    mine = Q(message__by=account.pk)
    if Role.ADMINISTRATOR in roles_of(account):
        mine |= Q(message__by__is_active=False)
    return Thread.objects.filter(mine, waits=True).select_related("person", "message").order_by("answered_at", "pk")


def unread_by(person: Person | None) -> Sequence[Thread]:
    """The messages that somebody has not opened yet, the newest first."""
    if person is None:
        return ()
    return list(
        Thread.objects.filter(person=person, read_at__isnull=True).select_related("message__by").order_by("-pk")[:5]
    )
