"""The secret address at which one's own sessions are read by a calendar."""

from __future__ import annotations

import secrets

from django.db import transaction

from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.models import Person
from stepladder.timetable.models import CalendarKey

__all__ = ["renew_key"]


@transaction.atomic
def renew_key(*, person: Person, by: Actor) -> CalendarKey:
    """A new address; the old one, if there was any, no longer answers."""
    policy.require(by, "learn", person)
    key, _ = CalendarKey.objects.update_or_create(person=person, defaults={"key": secrets.token_urlsafe(24)})
    record("renew_calendar_key", by=by, about=Named("person", person.public_id, person.name))
    return key
