"""Sending e-mail. Each notice is sent once: a run that was stopped goes on with those that are not sent."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from smtplib import (
    SMTPConnectError,
    SMTPException,
    SMTPRecipientsRefused,
    SMTPResponseException,
    SMTPServerDisconnected,
)

from django.conf import settings
from django.core.mail import EmailMessage, get_connection
from django.core.mail.backends.base import BaseEmailBackend
from django_tasks import task

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.notices.models import Notice

__all__ = ["NotAllSent", "send_notices"]


class NotAllSent(Exception):
    """The mail server refused some of the notices; each keeps what it said."""


@task()
def send_notices(keys: list[int]) -> None:
    """Send the e-mails of these notices; one that the mail server refuses is kept with what it said, the others go on. Where the
    server is gone, or says nothing any more, all that are left wait.

    Raises NotAllSent at the end, so that the queue tries again what is left.
    """
    rows = Notice.objects.filter(pk__in=keys, sent_at__isnull=True).select_related("person").order_by("pk")
    waiting = list(rows)
    server = get_connection()
    try:
        server.open()
    except (SMTPException, OSError) as error:
        _keep_trouble(waiting, error)
        raise NotAllSent(f"The mail server cannot be reached: {_said(error)}") from error
    refused = 0
    try:
        for at, notice in enumerate(waiting):
            try:
                refused += not _send(notice, server)
            except GONE as error:
                _keep_trouble(waiting[at:], error)
                raise NotAllSent(f"The mail server is gone, {len(waiting) - at} wait: {_said(error)}") from error
    finally:
        # One that is gone cannot be taken leave of: what it says to that is nobody's matter.
        with suppress(SMTPException, OSError):
            server.close()
    if refused:
        raise NotAllSent(f"{refused} of {len(waiting)} notices could not be sent.")


# With these the connection itself is over; everything else is about one letter.
GONE = (SMTPServerDisconnected, SMTPConnectError, OSError)


def _send(notice: Notice, server: BaseEmailBackend) -> bool:
    """Whether the server took it. Raises what says that the server is gone."""
    try:
        if not notice.person.email:
            raise ValueError("There is no e-mail address any more.")
        letter = _letter(notice)
        letter.connection = server
        letter.send()
    except SMTPServerDisconnected:
        raise
    except (SMTPException, ValueError) as error:
        _keep_trouble([notice], error)
        return False
    Notice.objects.filter(pk=notice.pk).update(sent_at=clock.now(), trouble="")
    return True


def _said(error: Exception) -> str:
    """What went wrong; of who refused one recipient what they said of it."""
    if isinstance(error, SMTPRecipientsRefused):
        return _answered(*next(iter(error.recipients.values())))
    if isinstance(error, SMTPResponseException):
        return _answered(error.smtp_code, error.smtp_error)
    return str(error) or "It said nothing for too long."


def _answered(code: int, words: bytes | str) -> str:
    return f"{code} {words.decode(errors='replace') if isinstance(words, bytes) else words}"


def _keep_trouble(notices: Sequence[Notice], error: Exception) -> None:
    Notice.objects.filter(pk__in=[notice.pk for notice in notices]).update(trouble=_said(error)[:300])


def _letter(notice: Notice) -> EmailMessage:
    letter = EmailMessage(
        notice.subject,
        f"{notice.text}\n\n{settings.PUBLIC_ADDRESS}{notice.path}\n\n{organisation().name}",
        settings.DEFAULT_FROM_EMAIL,
        [notice.person.email],
        headers={"X-Stepladder-Notice": notice.public_id},
    )
    if notice.calendar:
        method = "CANCEL" if "METHOD:CANCEL" in notice.calendar else "REQUEST"
        letter.attach("session.ics", notice.calendar, f"text/calendar; charset=utf-8; method={method}")
    return letter
