"""Who may open which address, and who may do what to whose objects. One file; every check goes through it.

`VERBS` says, for each verb and role, over which objects: EVERY object, or those that stand in a relation to the account. What
a relation means for a kind of object is handed in by the app that keeps it, as a value for one object and as a condition
for a query, so that buttons and lists agree.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol, TypeVar

from django.core.exceptions import PermissionDenied
from django.db import models
from django.db.models import Q

from stepladder.accounts.models import Role

__all__ = ["ADDRESSES", "PUBLIC", "VERBS", "Answer", "Asks", "may", "relation", "require", "visible"]

EVERY, OWN, EDITS, USES, OFFERED = "every", "own", "edits", "uses", "offered"
ADMINISTRATOR, AUTHOR, AUDITOR, LEARNER = Role.ADMINISTRATOR, Role.AUTHOR, Role.AUDITOR, Role.LEARNER

VERBS: dict[str, dict[str, str]] = {
    # everybody who is signed in
    "sign in": {ADMINISTRATOR: EVERY, AUTHOR: EVERY, AUDITOR: EVERY, LEARNER: EVERY},
    "search": {ADMINISTRATOR: EVERY, AUTHOR: EVERY, AUDITOR: EVERY, LEARNER: EVERY},
    # the administrator's own ground
    "open the desk": {ADMINISTRATOR: EVERY},
    "see people": {ADMINISTRATOR: EVERY},
    "change people": {ADMINISTRATOR: EVERY},
    "change the organisation": {ADMINISTRATOR: EVERY},
    # what is taught
    "see modules": {ADMINISTRATOR: EVERY, AUTHOR: USES},
    "change modules": {ADMINISTRATOR: EVERY, AUTHOR: EDITS},
    "see courses": {ADMINISTRATOR: EVERY, AUTHOR: USES},
    "change courses": {ADMINISTRATOR: EVERY, AUTHOR: EDITS},
    # learning
    "learn": {ADMINISTRATOR: OWN, AUTHOR: OWN, AUDITOR: OWN, LEARNER: OWN},
    # asking people to learn
    "assign": {ADMINISTRATOR: EVERY},
    "waive": {ADMINISTRATOR: EVERY},
    "remind": {ADMINISTRATOR: EVERY},
    # proving it
    "open records": {ADMINISTRATOR: EVERY, AUDITOR: EVERY},
    "read records": {ADMINISTRATOR: EVERY, AUDITOR: EVERY, AUTHOR: OWN, LEARNER: OWN},
    "change records": {ADMINISTRATOR: EVERY},
    # what the installation itself shows
    "open the mail tray": {ADMINISTRATOR: EVERY},
}

# Addresses that need no account at all.
PUBLIC = "public"
# Address (its name) → the verb that opens it. An address without an entry is refused, and a test names it.
ADDRESSES: dict[str, str] = {
    "health": PUBLIC,
    "icon": PUBLIC,
    "accounts:sign_in": PUBLIC,
    "accounts:set_up": PUBLIC,
    "accounts:demo_sign_in": PUBLIC,
    "accounts:sign_out": "sign in",
    "accounts:settings": "sign in",
    "accounts:organisation": "change the organisation",
    "home": "sign in",
    "search:results": "search",
    "desk:desk": "open the desk",
    "parts": PUBLIC,
    "people:list": "see people",
    "people:hire": "change people",
    "people:person": "see people",
    "people:move": "change people",
    "people:end_placement": "change people",
    "people:leave_organisation": "change people",
    "people:edit": "change people",
    "people:charts": "see people",
    "people:new_node": "change people",
    "people:rename_node": "change people",
    "library:home": "see modules",
    "library:binder": "see modules",
    "library:new_binder": "change modules",
    "library:edit_binder": "change modules",
    "library:module": "see modules",
    "library:edit_module": "change modules",
    "library:withdraw_module": "change modules",
    "library:release_module": "change modules",
    "library:still": "see modules",
    "library:captions": "change modules",
    "library:original": "see modules",
    "library:uploads": "change modules",
    "library:upload": "change modules",
    "library:progress": "see modules",
    "library:dismiss": "change modules",
    "courses:list": "see courses",
    "courses:new": "change courses",
    "courses:course": "see courses",
    "courses:edit": "change courses",
    "courses:terms": "change courses",
    "courses:pick": "change courses",
    "courses:add_steps": "change courses",
    "courses:order_steps": "change courses",
    "courses:edit_step": "change courses",
    "courses:remove_step": "change courses",
    "courses:release": "change courses",
    "courses:release_effect": "change courses",
    "courses:withdraw": "change courses",
    "courses:new_edition": "change courses",
    "courses:discard": "change courses",
    "courses:prerequisites": "change courses",
    "desk:up_next": "learn",
    "desk:try_course": "see courses",
    "playing:try_module": "see modules",
    "playing:course": "learn",
    "playing:step": "learn",
    "playing:outcome": "learn",
    "playing:report": "learn",
    "playing:media": "learn",
    "assignments:list": "assign",
    "assignments:new": "assign",
    "assignments:effect": "assign",
    "assignments:group": "assign",
    "assignments:people": "assign",
    "assignments:assignment": "assign",
    "assignments:end": "assign",
    "assignments:waive": "waive",
    "assignments:revoke_waiver": "waive",
    "records:board": "open records",
    "records:cell": "open records",
    "records:late": "open records",
    "records:standing": "open records",
    "records:remind": "remind",
    "records:own": "learn",
    "records:record": "read records",
    "records:why": "read records",
    "records:certificate": "read records",
    "records:check_any": PUBLIC,
    "records:check": PUBLIC,
    "notices:unsent": "remind",
    "notices:send_again": "remind",
    "standins:tray": "open the mail tray",
    "standins:mail": "open the mail tray",
}


class Asks(Protocol):
    """Whoever asks: an account, or a machine of the product's own, which may do everything."""

    @property
    def name(self) -> str: ...


@dataclass(frozen=True)
class Answer:
    """Yes, or a refusal that counts as false and says why."""

    yes: bool
    reason: str = ""

    def __bool__(self) -> bool:
        return self.yes


@dataclass(frozen=True)
class _Relation:
    holds: Callable[[Any, Any], bool]
    rows: Callable[[Any], Q]
    refusal: str


_relations: dict[tuple[type[models.Model], str], _Relation] = {}
YES = Answer(True)


def relation(
    kind: type[models.Model],
    name: str,
    *,
    holds: Callable[[Any, Any], bool],
    rows: Callable[[Any], Q],
    refusal: str,
) -> None:
    """Hand in what a relation means for a kind of object: for one (account, object), and as rows for an account."""
    _relations[kind, name] = _Relation(holds, rows, refusal)


def may(account: Any, verb: str, obj: models.Model | None = None) -> Answer:
    """Whether the account may do *verb* (to *obj*, or to anything at all)."""
    if _is_machine(account):
        return YES
    if not getattr(account, "is_active", False):
        return Answer(False, "Sign in to do this.")
    scopes = _scopes(account, verb)
    if not scopes:
        return Answer(False, f"Your role cannot {verb}. Ask an administrator if it should.")
    if EVERY in scopes or obj is None:
        return YES
    refusal = ""
    for scope in scopes:
        rule = _relations[type(obj), scope]
        if rule.holds(account, obj):
            return YES
        refusal = rule.refusal
    return Answer(False, refusal)


def require(account: Any, verb: str, obj: models.Model | None = None) -> None:
    """Raise PermissionDenied with the reason unless the account may."""
    answer = may(account, verb, obj)
    if not answer:
        raise PermissionDenied(answer.reason)


_Rows = TypeVar("_Rows", bound="models.QuerySet[Any]")


def visible(account: Any, verb: str, rows: _Rows) -> _Rows:
    """Those of *rows* to which the account may do *verb*."""
    if _is_machine(account):
        return rows
    scopes = _scopes(account, verb) if getattr(account, "is_active", False) else set()
    if EVERY in scopes:
        return rows
    if not scopes:
        return rows.none()
    wanted = Q()
    for scope in scopes:
        wanted |= _relations[rows.model, scope].rows(account)
    return rows.filter(wanted)


def _scopes(account: Any, verb: str) -> set[str]:
    table = VERBS[verb]
    return {table[role] for role in account.roles if role in table}


def _is_machine(account: Any) -> bool:
    # Machines (journal.Machine) have no sign-in state at all; anonymous visitors do.
    return not hasattr(account, "is_authenticated")
