"""What every page knows of who looks at it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.organisation import organisation
from stepladder.web.frame import Rung, foot_pages, own_pages, rungs

__all__ = ["account"]


class _May:
    """What the account may do, as templates ask it: `account_may.change_charts`."""

    def __init__(self, account: Any) -> None:
        self._account = account

    def __getitem__(self, name: str) -> bool:
        return bool(policy.may(self._account, name.replace("_", " ")))


def _rungs(user: Any) -> list[Rung]:
    """The rungs that the account sees, one for each number."""
    found: dict[int, Rung] = {}
    for rung in rungs():
        if rung.number not in found and policy.may(user, rung.verb):
            found[rung.number] = rung
    return list(found.values())


def account(request: HttpRequest) -> dict[str, Any]:
    """The account, its theme, its rungs of the ladder, and the organisation's name."""
    user = getattr(request, "user", None)
    signed_in = isinstance(user, Account)
    return {
        "account": user if signed_in else None,
        "theme": user.theme if isinstance(user, Account) else "auto",
        "organisation": organisation(),
        "rungs": _rungs(user) if signed_in else [],
        "foot_pages": [page for page in foot_pages() if signed_in and policy.may(user, page.verb)],
        "account_may": _May(user),
        "own_pages": own_pages() if signed_in else [],
        "here_address": request.resolver_match.view_name if request.resolver_match else "",
        "here": request.resolver_match.namespace if request.resolver_match else "",
    }
