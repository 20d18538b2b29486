"""The kinds of notice there are: what each is for, its words with their fields, and how it goes. Apps hand theirs in at start."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field

from stepladder.notices.models import Notice

__all__ = [
    "EVERY_FIELD",
    "NoticeKind",
    "UnknownField",
    "add_notice_kind",
    "check_fields",
    "in_words",
    "notice_kind",
    "notice_kinds",
]

# What every notice has at hand.
EVERY_FIELD = {"given_name": "how the person is called", "subject": "the subject"}
_FIELD = re.compile(r"\{(\w+)\}")


class UnknownField(Exception):
    """Words that name a field which their kind does not have."""


@dataclass(frozen=True)
class NoticeKind:
    """What is told on one occasion. *subject* and *text* have fields in braces; *fields* says what stands in each.

    *channel*: by e-mail where the person has an address, or only in the application. *needs_sign_in*: only in the application for
    whoever has no sign-in yet, as its link would lead nowhere.
    """

    name: str
    label: str
    subject: str
    text: str
    fields: Mapping[str, str] = field(default_factory=dict)
    channel: Notice.Channel = Notice.Channel.MAIL
    needs_sign_in: bool = False
    # What somebody wrote to somebody: it is shown to nobody else, not even as a sample.
    is_private: bool = False


_kinds: dict[str, NoticeKind] = {}


def add_notice_kind(kind: NoticeKind) -> None:
    """Hand in a kind of notice. Raises UnknownField."""
    check_fields(kind, kind.subject + kind.text)
    _kinds[kind.name] = kind


def check_fields(kind: NoticeKind, words: str) -> None:
    """Raises UnknownField where words name a field that a kind does not have."""
    known = kind.fields.keys() | EVERY_FIELD.keys()
    unknown = sorted(set(_FIELD.findall(words)) - known)
    if unknown:
        raise UnknownField(
            f"“{kind.name}” has words with {{{unknown[0]}}}, which is none of {', '.join(sorted(known))}."
        )


def notice_kind(name: str) -> NoticeKind:
    """The kind of that name."""
    return _kinds[name]


def notice_kinds() -> list[NoticeKind]:
    """All kinds, in the order in which they were handed in."""
    return list(_kinds.values())


def in_words(words: str, fields: Mapping[str, str]) -> str:
    """Words with what stands in their fields. Names in braces only: nothing of an object can be reached from words."""
    return _FIELD.sub(lambda found: fields[found[1]], words)
