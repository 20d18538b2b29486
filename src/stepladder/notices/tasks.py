"""Sending e-mail. Each notice is sent once: a run that was stopped goes on with those that are not sent."""

from __future__ import annotations

from smtplib import SMTPException

from django.conf import settings
from django.core.mail import EmailMessage
from django_tasks import task

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.notices.models import Notice

__all__ = ["send_notices"]


@task()
def send_notices(keys: list[int]) -> None:
    """Send the e-mails of these notices; what the mail server refuses is kept with what it said."""
    for notice in Notice.objects.filter(pk__in=keys, sent_at__isnull=True).select_related("person"):
        message = EmailMessage(
            notice.subject,
            f"{notice.text}\n\n{settings.PUBLIC_ADDRESS}{notice.path}\n\n{organisation().name}",
            settings.DEFAULT_FROM_EMAIL,
            [notice.person.email],
            headers={"X-Stepladder-Notice": notice.public_id},
        )
        try:
            message.send()
        except (SMTPException, OSError) as error:
            Notice.objects.filter(pk=notice.pk).update(trouble=str(error)[:300])
            raise
        Notice.objects.filter(pk=notice.pk).update(sent_at=clock.now(), trouble="")
