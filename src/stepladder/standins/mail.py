"""A mail backend that keeps what is sent, so that it can be opened in the application."""

from __future__ import annotations

from collections.abc import Sequence

from django.core.mail.backends.base import BaseEmailBackend
from django.core.mail.message import EmailMessage

from stepladder import clock
from stepladder.standins.models import TrayMail

__all__ = ["TrayBackend"]


class TrayBackend(BaseEmailBackend):
    """Used while no mail server is configured."""

    def send_messages(self, email_messages: Sequence[EmailMessage]) -> int:
        TrayMail.objects.bulk_create(
            TrayMail(
                to=to,
                sender=m.from_email,
                subject=str(m.subject),
                text=str(m.body),
                attached=_attached(m),
                at=clock.now(),
            )
            for m in email_messages
            for to in m.to
        )
        return len(email_messages)


def _attached(message: EmailMessage) -> list[dict[str, str]]:
    """The text files that came with a message."""
    found = []
    for one in message.attachments:
        name, body, kind = (
            one if isinstance(one, tuple) else (one.get_filename(), one.get_payload(), one.get_content_type())
        )
        found.append({"name": str(name), "type": str(kind), "text": body if isinstance(body, str) else body.decode()})
    return found
