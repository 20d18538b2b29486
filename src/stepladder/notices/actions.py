"""Telling people."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.notices.models import Notice
from stepladder.notices.tasks import send_notices
from stepladder.people.models import Person
from stepladder.queue.actions import Queue, later

__all__ = ["send_again", "tell"]


@transaction.atomic
def tell(
    *, messages: Sequence[tuple[Person, str, str, str]], kind: str, calendars: Mapping[int, str] | None = None
) -> list[Notice]:
    """One notice for each (person, subject, text, path); e-mail goes out from the queue once this is saved.

    *calendars* gives, by person, an iCalendar object to send with it.
    """
    notices = Notice.objects.bulk_create(
        Notice(
            person=person,
            kind=kind,
            subject=subject,
            text=text,
            path=path,
            calendar=(calendars or {}).get(person.pk, ""),
            channel=Notice.Channel.MAIL if person.email else Notice.Channel.HERE,
            made_at=clock.now(),
            sent_at=None if person.email else clock.now(),
        )
        for person, subject, text, path in messages
    )
    _hand_over([notice.pk for notice in notices if notice.channel == Notice.Channel.MAIL])
    return notices


@transaction.atomic
def send_again(*, public_ids: Sequence[str], by: Actor) -> int:
    """Hand notices that were not sent to the queue once more; how many."""
    policy.require(by, "send notices")
    waiting = Notice.objects.filter(public_id__in=public_ids, channel=Notice.Channel.MAIL, sent_at__isnull=True)
    keys = list(waiting.values_list("pk", flat=True))
    if keys:
        waiting.update(trouble="")
        record("send_again", by=by, about=Named("organisation", "", ""), data={"count": len(keys)})
        _hand_over(keys)
    return len(keys)


def _hand_over(keys: Sequence[int]) -> None:
    if keys:
        later(send_notices, queue=Queue.MAIL, keys=list(keys))
