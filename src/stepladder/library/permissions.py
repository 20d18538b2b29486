"""Whose the library's objects are."""

from __future__ import annotations

from types import ModuleType
from typing import Any

from django.db.models import Q, QuerySet

from stepladder.accounts import policy as accounts_policy
from stepladder.library.models import Binder, Module, Rights
from stepladder.library.queries import edited_by
from stepladder.reaches.offering import offered_to

__all__ = [
    "edits_binder",
    "in_edited_binder",
    "in_usable_binder",
    "register",
    "sees_binder",
    "uses_binder",
    "visible_modules",
]

REFUSAL = "Only editors of this binder can change what is in it."


def edits_binder(account: Any, binder: Binder) -> bool:
    return binder.owner_id == account.pk or binder.co_editors.filter(pk=account.pk).exists()


def uses_binder(account: Any, binder: Binder) -> bool:
    return edits_binder(account, binder) or (binder.is_shared and _is_offered(account, binder.pk, binder.used_by))


def sees_binder(account: Any, binder: Binder) -> bool:
    return uses_binder(account, binder) or (binder.is_open and _is_offered(account, binder.pk, binder.seen_by))


def _is_offered(account: Any, key: int, reach: Any) -> bool:
    return reach is None or bool(offered_to(account, [(key, reach)]))


def _offered(account: Any, name: str, whether: str, reach: str) -> Q:
    """Of binders, or of what has one (*name* "binder__"): those whose flag *whether* is set, for everybody
    or a *reach* that has the account."""
    some = Binder.objects.filter(**{whether: True, f"{reach}__isnull": False}).values_list("pk", reach)
    offered = offered_to(account, some) if some else []
    return Q(**{f"{name}{whether}": True, f"{name}{reach}__isnull": True}) | Q(**{f"{name}pk__in": offered})


def _shared_with(account: Any, name: str) -> Q:
    return _offered(account, name, "is_shared", "used_by")


def _open_to(account: Any, name: str) -> Q:
    return _offered(account, name, "is_open", "seen_by") | _shared_with(account, name)


def uses_module(account: Any, module: Module) -> bool:
    return edits_binder(account, module.binder) or (
        module.rights != Rights.EDITORS and uses_binder(account, module.binder)
    )


def sees_module(account: Any, module: Module) -> bool:
    return edits_binder(account, module.binder) or (
        module.rights != Rights.EDITORS and sees_binder(account, module.binder)
    )


def in_edited_binder(account: Any) -> Q:
    """Of things that have a binder: those in one that the account edits."""
    return Q(binder__in=Binder.objects.filter(edited_by(account)))


def in_usable_binder(account: Any) -> Q:
    """Of things that have a binder: those in one that the account may use."""
    return _shared_with(account, "binder__") | in_edited_binder(account)


def visible_modules(account: Any) -> QuerySet[Module]:
    """The modules that the account sees."""
    return accounts_policy.visible(account, "see modules", Module.objects.all())


def register(policy: ModuleType) -> None:
    policy.relation(Binder, "edits", holds=edits_binder, rows=edited_by, refusal=REFUSAL)
    policy.relation(
        Binder,
        "uses",
        holds=uses_binder,
        rows=lambda a: _shared_with(a, "") | edited_by(a),
        refusal="This binder is not shared with you.",
    )
    policy.relation(
        Binder,
        "sees",
        holds=sees_binder,
        rows=lambda a: _open_to(a, "") | edited_by(a),
        refusal="This binder is not open to you.",
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
    policy.relation(
        Module,
        "sees",
        holds=sees_module,
        rows=lambda a: (_open_to(a, "binder__") & ~Q(rights=Rights.EDITORS)) | in_edited_binder(a),
        refusal="The binder that this module is in, or the module itself, is not open to you.",
    )
