"""Telling people."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta

from django.conf import settings
from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.notices.kinds import NoticeKind, check_fields, notice_kind
from stepladder.notices.models import Notice, Sample, Wording
from stepladder.notices.tasks import send_notices
from stepladder.notices.wordings import in_full, worded
from stepladder.people.models import Person
from stepladder.queue.actions import Queue, later

__all__ = ["Message", "send_again", "set_wording", "tell"]


@dataclass(frozen=True)
class Message:
    """What one person is told: what stands in the fields of the kind's words, and the direct link.

    *calendar* is an iCalendar object to send with it.
    """

    person: Person
    path: str
    fields: Mapping[str, str]
    calendar: str = ""


@transaction.atomic
def tell(kind: str, messages: Sequence[Message]) -> list[Notice]:
    """One notice of a kind (notices.kinds) for each message; e-mail goes out from the queue once this is saved."""
    words = worded(kind)
    if messages and not words.is_private:
        _keep_samples(kind, messages)
    notices = Notice.objects.bulk_create(_notice(words, message) for message in messages)
    _hand_over([notice.pk for notice in notices if notice.channel == Notice.Channel.MAIL])
    return notices


# Of so many people who were told last of a kind it is kept what stood in its fields.
SAMPLES = 8


def _keep_samples(kind: str, messages: Sequence[Message]) -> None:
    last = {message.person.pk: message for message in messages[-SAMPLES:]}
    Sample.objects.filter(kind=kind, person__in=last).delete()
    Sample.objects.bulk_create([Sample(kind=kind, person=m.person, fields=dict(m.fields)) for m in last.values()])
    kept = Sample.objects.filter(kind=kind).order_by("-pk").values_list("pk", flat=True)
    Sample.objects.filter(pk__in=list(kept[SAMPLES : 2 * SAMPLES])).delete()


def _notice(kind: NoticeKind, message: Message) -> Notice:
    person = message.person
    subject, text = in_full(kind, message.fields, person)
    by_mail = kind.channel == Notice.Channel.MAIL and bool(person.email)
    if kind.needs_sign_in and person.account_id is None:
        by_mail = False
    return Notice(
        person=person,
        kind=kind.name,
        subject=subject[:200],
        text=text,
        path=message.path,
        calendar=message.calendar if by_mail else "",
        channel=Notice.Channel.MAIL if by_mail else Notice.Channel.HERE,
        made_at=clock.now(),
        sent_at=None if by_mail else clock.now(),
    )


@transaction.atomic
def set_wording(*, kind: str, subject: str, text: str, by: Actor) -> None:
    """Tell of it in the organisation's own words from now on; in those it comes with where nothing is said. Raises UnknownField."""
    policy.require(by, "send notices")
    own = notice_kind(kind)
    check_fields(own, subject + text)
    subject, text = subject.strip(), text.strip().replace("\r\n", "\n")
    if not (subject and text) or (subject, text) == (own.subject, own.text):
        Wording.objects.filter(kind=kind).delete()
    else:
        Wording.objects.update_or_create(kind=kind, defaults={"subject": subject, "text": text})
    record("set_wording", by=by, about=Named("organisation", "", ""), data={"kind": own.label})


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


# So many letters are handed over at once: those of a piece wait for each other, and no piece for another.
LETTERS = 100


def _hand_over(keys: Sequence[int]) -> None:
    """In pieces; where the mail server takes so many a minute, each as much later as those before it take."""
    for at in range(0, len(keys), LETTERS):
        a_minute = settings.MAILS_A_MINUTE
        pause = timedelta(minutes=at / a_minute) if a_minute else timedelta(0)
        later(send_notices, queue=Queue.MAIL, after=pause, keys=list(keys[at : at + LETTERS]))
