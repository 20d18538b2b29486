"""Whose the library's objects are."""

from __future__ import annotations

from types import ModuleType
from typing import Any

from django.db.models import Q, QuerySet

from stepladder.accounts import policy as accounts_policy
from stepladder.library.models import Binder, Module, Rights
from stepladder.library.queries import edited_by

__all__ = ["edits_binder", "in_edited_binder", "in_usable_binder", "register", "uses_binder", "visible_modules"]

REFUSAL = "Only editors of this binder can change what is in it."


def edits_binder(account: Any, binder: Binder) -> bool:
    return binder.owner_id == account.pk or binder.co_editors.filter(pk=account.pk).exists()


def uses_binder(account: Any, binder: Binder) -> bool:
    return binder.is_shared or edits_binder(account, binder)


def uses_module(account: Any, module: Module) -> bool:
    return edits_binder(account, module.binder) or (module.binder.is_shared and module.rights != Rights.EDITORS)


def in_edited_binder(account: Any) -> Q:
    """Of things that have a binder: those in one that the account edits."""
    return Q(binder__in=Binder.objects.filter(edited_by(account)))


def in_usable_binder(account: Any) -> Q:
    """Of things that have a binder: those in one that the account may use."""
    return Q(binder__is_shared=True) | in_edited_binder(account)


def visible_modules(account: Any) -> QuerySet[Module]:
    """The modules that the account sees."""
    return accounts_policy.visible(account, "see modules", Module.objects.all())


def register(policy: ModuleType) -> None:
    policy.relation(Binder, "edits", holds=edits_binder, rows=edited_by, refusal=REFUSAL)
    policy.relation(
        Binder,
        "uses",
        holds=uses_binder,
        rows=lambda a: Q(is_shared=True) | edited_by(a),
        refusal="This binder is not shared.",
    )
    policy.relation(
        Module, "edits", holds=lambda a, m: edits_binder(a, m.binder), rows=in_edited_binder, refusal=REFUSAL
    )
    policy.relation(
        Module,
        "uses",
        holds=uses_module,
        rows=lambda a: (in_usable_binder(a) & ~Q(rights=Rights.EDITORS)) | in_edited_binder(a),
        refusal="The binder that this module is in, or the module itself, is not shared.",
    )
