"""How people come to sign in: links to set a password, roles, and the lock. Sessions of who is locked end at once."""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterable, Mapping
from datetime import timedelta

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.guesses import forgive
from stepladder.accounts.models import FOLLOWING, Account, Role, RoleGrant, SignInLink
from stepladder.accounts.visits import end_visits
from stepladder.journal.actions import Actor, Named, record
from stepladder.refusals import Refusal

__all__ = [
    "LASTS",
    "EmailTaken",
    "LastAdministrator",
    "LinkUseless",
    "account_behind",
    "follow_person",
    "follow_sheets",
    "lock_account",
    "make_link",
    "set_roles",
    "unlock_account",
    "use_link",
    "was_just_sent",
    "withdraw_links",
]

LASTS = {SignInLink.Purpose.INVITATION: timedelta(days=14), SignInLink.Purpose.RESET: timedelta(hours=2)}


class LinkUseless(Refusal):
    """A link that was used, is too old, or never was; the message is for people."""


def _digest(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _about(account: Account) -> Named:
    return Named("account", account.public_id, account.name)


@transaction.atomic
def make_link(*, account: Account, purpose: str) -> str:
    """The token of a new link; those sent before for the same purpose no longer work. A reset leaves an invitation as it is."""
    withdraw_links(account=account, purpose=purpose)
    token = secrets.token_urlsafe(32)
    kind = SignInLink.Purpose(purpose)
    SignInLink.objects.create(
        account=account, purpose=kind, digest=_digest(token), made_at=clock.now(), expires_at=clock.now() + LASTS[kind]
    )
    return token


@transaction.atomic
def withdraw_links(*, account: Account, purpose: str = "") -> int:
    """Links that were sent (for a purpose, or for any) and not used no longer work; how many."""
    waiting = SignInLink.objects.filter(account=account, used_at__isnull=True, withdrawn_at__isnull=True)
    if purpose:
        waiting = waiting.filter(purpose=purpose)
    return waiting.update(withdrawn_at=clock.now())


def account_behind(token: str) -> SignInLink:
    """The link that a token belongs to, while it works. Raises LinkUseless."""
    link = SignInLink.objects.filter(digest=_digest(token)).select_related("account").first()
    if link is None:
        raise LinkUseless("This link is not known. Open it just as it stands in the e-mail, or ask for a new one.")
    if link.used_at is not None:
        raise LinkUseless("This link was used already: sign in with the password set then, or ask for a new one.")
    if link.withdrawn_at is not None:
        raise LinkUseless("A newer link was sent since, or this one was withdrawn. Use the newest e-mail.")
    if link.expires_at < clock.now():
        raise LinkUseless("This link is too old to be used. Ask for a new one.")
    if not link.account.is_active:
        raise LinkUseless("This sign-in is locked. Ask an administrator.")
    return link


RESET_EVERY = timedelta(minutes=5)


def was_just_sent(account: Account) -> bool:
    """Whether a link to a new password went out within the last five minutes."""
    since = clock.now() - RESET_EVERY
    rows = SignInLink.objects.filter(account=account, purpose=SignInLink.Purpose.RESET)
    return rows.filter(made_at__gt=since).exists()


@transaction.atomic
def use_link(*, token: str, password: str) -> Account:
    """Set the password of whoever the link is for; it works once. Raises LinkUseless."""
    link = account_behind(token)
    # Compare and set: of two tabs with the same link one sets the password.
    used = SignInLink.objects.filter(pk=link.pk, used_at__isnull=True).update(used_at=clock.now())
    if not used:
        raise LinkUseless("This link was used already: sign in with the password set then, or ask for a new one.")
    account = link.account
    account.set_password(password)
    account.save(update_fields=["password"])
    withdraw_links(account=account)
    end_visits(account)
    forgive(account.email)
    record("use_link", by=account, about=_about(account), data={"how": link.get_purpose_display().lower()})
    return account


@transaction.atomic
def set_roles(*, account: Account, roles: Iterable[str], by: Actor) -> None:
    """The roles an account has from now on. Nobody takes the last administrator away."""
    policy.require(by, "change roles", account)
    # Who is a manager follows from leads; a grant of it would outlive them.
    wanted = {role for role in roles if role not in FOLLOWING}
    have = set(account.grants.values_list("role", flat=True))
    if wanted == have:
        return
    others = RoleGrant.objects.filter(role=Role.ADMINISTRATOR, account__is_active=True).exclude(account=account)
    if Role.ADMINISTRATOR in have - wanted and not others.exists():
        raise LastAdministrator()
    account.grants.filter(role__in=have - wanted).delete()
    RoleGrant.objects.bulk_create([RoleGrant(account=account, role=role) for role in sorted(wanted - have)])
    data = {"before": ", ".join(sorted(have)), "after": ", ".join(sorted(wanted))}
    record("set_roles", by=by, about=_about(account), data=data)


class LastAdministrator(Refusal):
    """The one administrator there is cannot stop being one, nor be locked."""

    def __init__(self) -> None:
        super().__init__("This is the last administrator. Make somebody else one first.")


@transaction.atomic
def lock_account(*, account: Account, by: Actor) -> None:
    """Nobody signs in with it, and whoever is signed in with it is out at the next page."""
    policy.require(by, "change roles", account)
    others = RoleGrant.objects.filter(role=Role.ADMINISTRATOR, account__is_active=True).exclude(account=account)
    if Role.ADMINISTRATOR in account.roles and not others.exists():
        raise LastAdministrator()
    account.is_locked = True
    _settle(account)
    _end_sign_ins(account)
    record("lock_account", by=by, about=_about(account))


@transaction.atomic
def unlock_account(*, account: Account, by: Actor) -> None:
    """No longer locked by hand; who has left stays out all the same."""
    policy.require(by, "change roles", account)
    account.is_locked = False
    _settle(account)
    record("unlock_account", by=by, about=_about(account))


@transaction.atomic
def follow_person(*, account: Account, has_left: bool) -> None:
    """Shut the sign-in of who has left, or open it again for who is back. A lock by hand stays as it is."""
    if account.has_left == has_left:
        return
    account.has_left = has_left
    _settle(account)
    if has_left:
        _end_sign_ins(account)


def _end_sign_ins(account: Account) -> None:
    """For good: whoever was signed in stays out also when the lock is taken away."""
    account.sign_ins_of += 1
    account.save(update_fields=["sign_ins_of"])
    withdraw_links(account=account)
    end_visits(account)


class EmailTaken(Refusal):
    """An e-mail that somebody else signs in with."""

    def __init__(self, email: str) -> None:
        super().__init__(f"Somebody else signs in with {email}. Two sign-ins cannot have the same address.")


@transaction.atomic
def follow_sheets(said: Mapping[int, tuple[str, str]]) -> list[int]:
    """Accounts (by key) are called, and sign in, as the sheets of their people say: (name, e-mail, empty for as before).

    Links that went to an old address no longer work; the accounts of which one was an invitation. Raises EmailTaken.
    """
    accounts = list(Account.objects.filter(pk__in=said))
    invited = []
    for account in accounts:
        name, email = said[account.pk]
        # A sheet without an e-mail takes no sign-in away.
        email = email.lower() or account.email
        if email != account.email:
            if Account.objects.filter(email=email).exclude(pk=account.pk).exists():
                raise EmailTaken(email)
            waiting = SignInLink.objects.filter(account=account, used_at__isnull=True, withdrawn_at__isnull=True)
            if waiting.filter(purpose=SignInLink.Purpose.INVITATION).exists():
                invited.append(account.pk)
            withdraw_links(account=account)
        if (name, email) != (account.name, account.email):
            account.name, account.email = name, email
            account.save(update_fields=["name", "email"])
    return invited


def _settle(account: Account) -> None:
    account.is_active = not (account.is_locked or account.has_left)
    account.save(update_fields=["is_active", "is_locked", "has_left"])
