"""Everything that writes messages."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.switches import is_on
from stepladder.events import Act
from stepladder.journal.actions import Named, record
from stepladder.messaging.errors import MessagingError
from stepladder.messaging.models import Answer, Message, Thread
from stepladder.messaging.notices import ANSWER, MESSAGE
from stepladder.messaging.switching import MESSAGES
from stepladder.notices.actions import Message as Told
from stepladder.notices.actions import tell
from stepladder.people.models import Person
from stepladder.queue.actions import AT_ONCE, in_pieces

__all__ = ["answer", "begin_threads", "mark_read", "put_away_answer", "write"]

LONGEST = 5_000


@transaction.atomic
def write(*, people: Sequence[Person], subject: str, text: str, about: str, by: Account) -> Message:
    """Write to people: each has a thread of their own, and sees nobody else's. Raises MessagingError."""
    policy.require(by, "write to")
    _wanted()
    allowed = policy.visible(by, "write to", Person.objects.filter(pk__in=[person.pk for person in people]))
    keys = list(allowed.order_by("pk").values_list("pk", flat=True))
    if not keys:
        raise MessagingError("There is nobody here to whom you can write.")
    subject, text = _words(subject, "subject", 160), _words(text, "text", LONGEST)
    message = Message.objects.create(
        subject=subject, text=text, about=about[:300], by=by, at=clock.now(), people=len(keys)
    )
    named = Named("message", message.public_id, message.subject)
    entry = record("write", by=by, about=named, data={"count": len(keys), "subject": subject})
    if len(keys) <= AT_ONCE:
        begin_threads(keys, entry.act, message=message.pk)
    else:
        in_pieces("message", ids=keys, act=entry.act, about=named, message=message.pk)
    return message


def begin_threads(people: Sequence[int], act: Act, *, message: int) -> None:
    """Give these people a message and tell them of it: once, however often it runs."""
    written = Message.objects.select_related("by").get(pk=message)
    have = set(Thread.objects.filter(message=written, person__in=people).values_list("person_id", flat=True))
    rows = Person.objects.filter(pk__in=set(people) - have).select_related("account").order_by("pk")
    threads = Thread.objects.bulk_create([Thread(message=written, person=person) for person in rows])
    fields = {"subject_line": written.subject, "words": written.text, "by": written.by.name}
    tell(MESSAGE.name, [Told(thread.person, _address(thread), fields) for thread in threads])


@transaction.atomic
def answer(*, thread: Thread, text: str, by: Account) -> Answer:
    """Answer in a thread, as the person it is of or as who wrote the message; the other is told. Raises MessagingError."""
    policy.require(by, "read messages", thread)
    _wanted()
    text = _words(text, "text", LONGEST)
    is_theirs = thread.person.account_id == by.pk and thread.message.by_id != by.pk
    made = Answer.objects.create(thread=thread, text=text, is_theirs=is_theirs, by_name=by.name, at=clock.now())
    thread.waits, thread.answered_at = is_theirs, made.at
    thread.save(update_fields=["waits", "answered_at"])
    record("answer", by=by, about=Named("message", thread.message.public_id, thread.message.subject))
    other = Person.objects.filter(account=thread.message.by_id).first() if is_theirs else thread.person
    if other is not None:
        fields = {"subject_line": thread.message.subject, "words": text, "by": by.name}
        tell(ANSWER.name, [Told(other, _address(thread), fields)])
    return made


@transaction.atomic
def put_away_answer(*, thread: Thread, by: Account) -> None:
    """Their answer needs none: it waits no more."""
    policy.require(by, "read messages", thread)
    if thread.person.account_id == by.pk:
        raise MessagingError("Only who wrote the message says that an answer needs none.")
    thread.waits = False
    thread.save(update_fields=["waits"])


@transaction.atomic
def mark_read(*, thread: Thread, by: Account) -> None:
    """The person it is of has opened it."""
    policy.require(by, "read messages", thread)
    if thread.person.account_id == by.pk and thread.read_at is None:
        Thread.objects.filter(pk=thread.pk, read_at__isnull=True).update(read_at=clock.now())


def _wanted() -> None:
    if not is_on(MESSAGES.name):
        raise MessagingError("Your organisation does not want messages here: nothing was sent.")


def _words(text: str, field: str, longest: int) -> str:
    plain = text.strip()
    if not plain:
        raise MessagingError("Write something first.", field)
    if len(plain) > longest:
        raise MessagingError(f"At most {longest} letters; this has {len(plain)}.", field)
    return plain


def _address(thread: Thread) -> str:
    return reverse("messaging:thread", args=[thread.public_id])
