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
            TrayMail(to=to, sender=m.from_email, subject=str(m.subject), text=str(m.body), at=clock.now())
            for m in email_messages
            for to in m.to
        )
        return len(email_messages)
