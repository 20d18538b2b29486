"""Sending links to sign in. The token is made when the e-mail is, so that it stands nowhere else."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from django.conf import settings
from django.core.mail import EmailMessage
from django.urls import reverse
from django_tasks import task

from stepladder.accounts.models import Account, SignInLink
from stepladder.accounts.organisation import organisation
from stepladder.accounts.sign_in import LASTS, make_link, was_just_sent
from stepladder.queue.actions import Queue, later

__all__ = ["add_to_invitations", "invite_anew", "send_links"]

_said: list[Callable[[Account], str]] = []


def add_to_invitations(words: Callable[[Account], str]) -> None:
    """Hand in what an invitation says beside its link; "" where there is nothing to say to an account."""
    _said.append(words)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    names = Account.objects.filter(pk__in=said.get("accounts", ())).values_list("name", flat=True)
    return f"sending {', '.join(names) or 'nobody'} a link to sign in"


def invite_anew(accounts: Iterable[int]) -> None:
    """Send these accounts an invitation to the address they have now. Called within the act that changed it."""
    for account in accounts:
        later(send_links, queue=Queue.MAIL, accounts=[account], purpose=SignInLink.Purpose.INVITATION.value)


TEXTS = {
    SignInLink.Purpose.INVITATION: (
        "Your sign-in for training at {organisation}",
        "Hello {name},\n\nthis link lets you choose a password and see what is before you. It works once, until {until}.",
    ),
    SignInLink.Purpose.RESET: (
        "A new password for training at {organisation}",
        "Hello {name},\n\nsomebody, most likely you, asked for a new password. This link lets you choose one. It works once, "
        "for {until}. If it was not you, leave it: nothing changes.",
    ),
}


@task()
def send_links(accounts: list[int], purpose: str) -> None:
    """One e-mail to each account with a fresh link. Run twice, the later link is the one that works."""
    kind = SignInLink.Purpose(purpose)
    lasts = LASTS[kind]
    until = f"{lasts.days} days from now" if lasts.days else f"{lasts.seconds // 3600} hours"
    subject, text = TEXTS[kind]
    for account in Account.objects.filter(pk__in=accounts, is_active=True):
        if kind == SignInLink.Purpose.RESET and was_just_sent(account):
            # Asked for twice before the first one was made.
            continue
        words = {"organisation": organisation().name, "name": account.name, "until": until}
        link = settings.PUBLIC_ADDRESS + reverse("accounts:link", args=[make_link(account=account, purpose=kind)])
        more = [said(account) for said in _said] if kind == SignInLink.Purpose.INVITATION else []
        own = organisation().welcome.strip() if kind == SignInLink.Purpose.INVITATION else ""
        body = "\n\n".join(part for part in (text.format(**words), link, own, *more, organisation().name) if part)
        EmailMessage(subject.format(**words), body, settings.DEFAULT_FROM_EMAIL, [account.email]).send()
