"""Asking for evidence packs, new ones and once more."""

from __future__ import annotations

from django.db import transaction

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.evidence import making
from stepladder.evidence.asking import PackAsked
from stepladder.evidence.errors import EvidenceError
from stepladder.evidence.models import Pack
from stepladder.journal.actions import record
from stepladder.queue.actions import Queue, later

__all__ = ["ask_pack", "make_again"]


@transaction.atomic
def ask_pack(*, asked: PackAsked, name: str, by: Account) -> Pack:
    """Have a pack made. Raises EvidenceError."""
    policy.require(by, "make evidence packs")
    people = asked.check(by)
    pack = Pack.objects.create(
        account=by,
        name=name,
        reach=dict(asked.reach),
        words=asked.words,
        courses=[course.pk for course in asked.courses],
        day=asked.day,
        known_on=asked.known_on,
        with_certificates=asked.with_certificates,
        with_documents=asked.with_documents,
        people=len(people),
    )
    said = {"day": asked.day, "known_on": asked.known_on, "people": len(people), "courses": len(asked.courses)}
    record("ask_pack", by=by, about=making.about(pack), data=said)
    later(making.make_pack, queue=Queue.BULK, key=pack.pk)
    return pack


@transaction.atomic
def make_again(*, pack: Pack, by: Account) -> None:
    """Make a pack once more from what is known today, also one that is ready. Raises EvidenceError."""
    policy.require(by, "read evidence packs", pack)
    if (
        not Pack.objects.filter(pk=pack.pk)
        .exclude(state__in=(Pack.State.WAITING, Pack.State.WORKING))
        .update(state=Pack.State.WAITING, trouble="", done=0)
    ):
        raise EvidenceError("This pack is being made already.")
    record("make_pack_again", by=by, about=making.about(pack))
    later(making.make_pack, queue=Queue.BULK, key=pack.pk)
