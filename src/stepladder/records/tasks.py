"""What records do every day: the journal's head goes to who keeps it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.organisation import organisation
from stepladder.journal.chain import head

__all__ = ["send_head", "words"]

TEXT = """On {day}, the newest entry of the journal of {organisation} is number {number}. Its digest is

{digest}

It stands for every entry before it. Keep this message where nobody who runs Stepladder can change it. Whether anything was
changed or cut off since is found with

./ladder verify --expect {head}
"""


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    return "sending the journal’s head"


@task()
def send_head() -> None:
    """One message to each account that wants it and may read the journal."""
    newest = head()
    said = {
        "day": f"{clock.today():%-d %B %Y}",
        "organisation": organisation().name,
        "number": newest.number,
        "digest": newest.digest,
        "head": newest,
    }
    subject = f"The journal on {said['day']}: entry {newest.number}"
    for account in Account.objects.filter(wants_journal_head=True, is_active=True):
        if policy.may(account, "read the journal"):
            EmailMessage(subject, TEXT.format(**said), settings.DEFAULT_FROM_EMAIL, [account.email]).send()
