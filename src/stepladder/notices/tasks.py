"""Sending e-mail. Each notice is sent once: a run that was stopped goes on with those that are not sent."""

from __future__ import annotations

from collections.abc import Sequence
from smtplib import SMTPException

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
    """Send the e-mails of these notices; what the mail server refuses is kept with what it said, the others go on.

    Raises NotAllSent at the end, so that the queue tries once more what was refused.
    """
    waiting = list(Notice.objects.filter(pk__in=keys, sent_at__isnull=True).select_related("person"))
    server = get_connection()
    try:
        server.open()
    except (SMTPException, OSError) as error:
        _keep_trouble(waiting, error)
        raise NotAllSent(f"The mail server cannot be reached: {error}") from error
    try:
        refused = sum(not _send(notice, server) for notice in waiting)
    finally:
        server.close()
    if refused:
        raise NotAllSent(f"{refused} of {len(waiting)} notices could not be sent.")


def _send(notice: Notice, server: BaseEmailBackend) -> bool:
    try:
        if not notice.person.email:
            raise ValueError("There is no e-mail address any more.")
        letter = _letter(notice)
        letter.connection = server
        letter.send()
    except (SMTPException, OSError, ValueError) as error:
        _keep_trouble([notice], error)
        return False
    Notice.objects.filter(pk=notice.pk).update(sent_at=clock.now(), trouble="")
    return True


def _keep_trouble(notices: Sequence[Notice], error: Exception) -> None:
    Notice.objects.filter(pk__in=[notice.pk for notice in notices]).update(trouble=str(error)[:300])


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
