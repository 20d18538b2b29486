"""Accounts: making them and changing one's settings."""

from __future__ import annotations

from django.conf import settings
from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.accounts.models import FOLLOWING, Account, Organisation, Role, RoleGrant
from stepladder.accounts.organisation import forget
from stepladder.journal.actions import Actor, Machine, Named, record
from stepladder.refusals import Refusal

__all__ = ["SetUpAlready", "change_organisation", "change_settings", "create_account", "set_up"]


class SetUpAlready(Refusal):
    """Somebody else set the installation up a moment ago."""

    def __init__(self) -> None:
        super().__init__("This installation was set up a moment ago. Sign in, or ask who did it.")


@transaction.atomic
def create_account(*, email: str, name: str, roles: list[str], by: Actor, password: str | None = None) -> Account:
    """A sign-in with roles. Without a password it can only be used where a link or the demo lets one in."""
    if following := FOLLOWING.intersection(roles):
        raise ValueError(f"Not granted, as they follow from something else: {', '.join(following)}.")
    account = Account.objects.create_account(email, name, password)
    RoleGrant.objects.bulk_create([RoleGrant(account=account, role=role) for role in roles])
    record("create_account", by=by, about=Named("account", account.public_id, name), data={"role": ", ".join(roles)})
    return account


@transaction.atomic
def set_up(*, code: str, organisation: str, zone: str, name: str, email: str, password: str) -> Account:
    """An empty installation's organisation and first administrator. The code that allowed it is used up. Raises SetUpAlready."""
    if Account.objects.exists():
        raise SetUpAlready
    by = Machine("Set-up")
    Organisation.objects.create(name=organisation, zone=zone)
    forget()
    entry = record("set_up_organisation", by=by, about=Named("organisation", "", organisation))
    events.announce(events.InstallationSetUp(organisation), entry.act)
    account = create_account(email=email, name=name, roles=[Role.ADMINISTRATOR, Role.LEARNER], by=by, password=password)
    (settings.DATA_DIR / "set-up-code").unlink(missing_ok=True)
    return account


@transaction.atomic
def change_settings(
    *,
    account: Account,
    theme: str,
    single_keys: bool,
    suggestions: str = Account.Suggestions.DAILY,
    wants_journal_head: bool | None = None,
) -> None:
    """One's own settings: how pages look, whether single keys act, when one is reminded of what is suggested, and whether one gets
    the journal's head (None: as it was)."""
    account.theme, account.single_keys, account.suggestions = theme, single_keys, suggestions
    if wants_journal_head is not None:
        policy.require(account, "read the journal")
        account.wants_journal_head = wants_journal_head
    account.save(update_fields=["theme", "single_keys", "suggestions", "wants_journal_head"])
    record("change_own_settings", by=account, about=Named("account", account.public_id, account.name))


@transaction.atomic
def change_organisation(*, organisation: Organisation, by: Actor) -> None:
    """Save the organisation's changed settings; the journal keeps what each was and is."""
    policy.require(by, "change the organisation", organisation)
    before = Organisation.objects.get(pk=organisation.pk)
    names = [f.name for f in Organisation._meta.fields if getattr(before, f.name) != getattr(organisation, f.name)]
    if not names:
        return
    organisation.save(update_fields=names)
    forget()
    changes = "; ".join(
        f"{name.replace('_', ' ')} {getattr(before, name)} → {getattr(organisation, name)}" for name in names
    )
    entry = record(
        "change_organisation", by=by, about=Named("organisation", "", organisation.name), data={"changes": changes}
    )
    events.announce(events.OrganisationChanged(tuple(names)), entry.act)
