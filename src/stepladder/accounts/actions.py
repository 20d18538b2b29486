"""Accounts: making them and changing one's settings."""

from __future__ import annotations

from django.db import transaction

from stepladder.accounts.models import Account, RoleGrant
from stepladder.journal.actions import Actor, Named, record

__all__ = ["change_settings", "create_account"]


@transaction.atomic
def create_account(*, email: str, name: str, roles: list[str], by: Actor, password: str | None = None) -> Account:
    """A sign-in with roles. Without a password it can only be used where a link or the demo lets one in."""
    account = Account.objects.create_account(email, name, password)
    RoleGrant.objects.bulk_create([RoleGrant(account=account, role=role) for role in roles])
    record("create_account", by=by, about=Named("account", account.public_id, name), data={"role": ", ".join(roles)})
    return account


@transaction.atomic
def change_settings(*, account: Account, theme: str, single_keys: bool) -> None:
    """One's own settings: how pages look, and whether single keys act."""
    account.theme, account.single_keys = theme, single_keys
    account.save(update_fields=["theme", "single_keys"])
    record("change_own_settings", by=account, about=Named("account", account.public_id, account.name))
