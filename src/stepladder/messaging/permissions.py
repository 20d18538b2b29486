"""Whose messages are: those of who wrote them, and of each person to whom they went."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.messaging.models import Message, Thread
from stepladder.people.models import Person
from stepladder.timetable.models import Booking, Session

__all__ = ["register"]

NOT_YOURS = "Only who wrote a message, and to whom it went, reads it."
NOT_TAUGHT = "You can write to whoever is booked into a session that you teach."


def _written(account: Any) -> Q:
    return Q(by=account.pk)


def _of_thread(account: Any) -> Q:
    """Those of one's messages, and one's own; for administrators those too whose writer signs in no more."""
    mine = Q(message__by=account.pk) | Q(person__account=account.pk)
    return mine | Q(message__by__is_active=False) if Role.ADMINISTRATOR in policy.roles_of(account) else mine


def _taught(account: Any) -> Q:
    """Of people: those booked into a session that the account teaches."""
    sessions = Session.instructors.through.objects.filter(person__account=account.pk).values("session")
    seats = Booking.objects.known_now().filter(session__in=sessions).exclude(state=Booking.State.CANCELLED)
    return Q(pk__in=seats.values("person"))


def register() -> None:
    policy.relation_by_rows(Message, policy.OWN, _written, NOT_YOURS)
    policy.relation_by_rows(Thread, policy.OWN, _of_thread, NOT_YOURS)
    policy.relation_by_rows(Person, policy.TEACHES, _taught, NOT_TAUGHT)
