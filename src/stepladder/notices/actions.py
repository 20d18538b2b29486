"""Telling people."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from stepladder import clock
from stepladder.notices.models import Notice
from stepladder.people.models import Person

__all__ = ["tell"]


@transaction.atomic
def tell(*, messages: Sequence[tuple[Person, str, str, str]], kind: str) -> list[Notice]:
    """One notice for each (person, subject, text, path); e-mail goes out from the queue once this is saved."""
    from stepladder.notices.tasks import send_notices  # inside: the tasks read these notices

    notices = Notice.objects.bulk_create(
        Notice(
            person=person,
            kind=kind,
            subject=subject,
            text=text,
            path=path,
            channel=Notice.Channel.MAIL if person.email else Notice.Channel.HERE,
            made_at=clock.now(),
            sent_at=None if person.email else clock.now(),
        )
        for person, subject, text, path in messages
    )
    keys = [notice.pk for notice in notices if notice.channel == Notice.Channel.MAIL]
    if keys:
        transaction.on_commit(lambda: send_notices.enqueue(keys=keys))
    return notices
