"""The words in which a kind of notice is told: the organisation's own, or those it comes with."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from stepladder.notices.kinds import NoticeKind, in_words, notice_kind
from stepladder.notices.models import Wording
from stepladder.people.models import Person

__all__ = ["in_full", "worded"]


def worded(name: str) -> NoticeKind:
    """The kind, with the organisation's words for it where it has some."""
    kind = notice_kind(name)
    own = Wording.objects.filter(kind=name).first()
    return replace(kind, subject=own.subject, text=own.text) if own else kind


def in_full(kind: NoticeKind, fields: Mapping[str, str], person: Person) -> tuple[str, str]:
    """Subject and text of a notice to somebody."""
    told = {**fields, "given_name": person.given_name}
    subject = " ".join(in_words(kind.subject, told).split())
    return subject, in_words(kind.text, {**told, "subject": subject})
