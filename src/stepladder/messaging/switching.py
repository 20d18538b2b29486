"""That an organisation may not want messages."""

from __future__ import annotations

from django.utils.translation import ngettext

from stepladder.accounts.switches import Switch
from stepladder.messaging.models import Message

__all__ = ["MESSAGES"]


def _kept() -> str:
    count = Message.objects.count()
    return ngettext("%d message", "%d messages", count) % count if count else ""


MESSAGES = Switch(
    "messages",
    "get messages, written to them by who leads, teaches or administers, and answer them",
    "nobody writes, and no answer is taken; what was written can still be read.",
    _kept,
)
