"""What somebody marks to find it again. Private, so nothing of it is journaled."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.library.models import Module, ModuleMark

__all__ = ["is_marked", "mark_modules", "unmark_modules"]


@transaction.atomic
def mark_modules(*, modules: Sequence[Module], by: Account) -> int:
    """Mark them for oneself; how many were not marked before."""
    for module in modules:
        policy.require(by, "see modules", module)
    before = ModuleMark.objects.filter(account=by).count()
    ModuleMark.objects.bulk_create(
        [ModuleMark(account=by, module=module, made_at=clock.now()) for module in modules], ignore_conflicts=True
    )
    return ModuleMark.objects.filter(account=by).count() - before


@transaction.atomic
def unmark_modules(*, modules: Sequence[Module], by: Account) -> int:
    """Take one's own marks off; how many there were."""
    for module in modules:
        policy.require(by, "see modules", module)
    return ModuleMark.objects.filter(account=by, module__in=list(modules)).delete()[0]


def is_marked(module: Module, by: Account) -> bool:
    """Whether somebody marked it."""
    return ModuleMark.objects.filter(account=by, module=module).exists()
