"""What every page knows of who looks at it."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.organisation import organisation
from stepladder.web.frame import foot_pages, own_pages, rungs

__all__ = ["account"]


def account(request: HttpRequest) -> dict[str, Any]:
    """The account, its theme, its rungs of the ladder, and the organisation's name."""
    user = getattr(request, "user", None)
    signed_in = isinstance(user, Account)
    return {
        "account": user if signed_in else None,
        "theme": user.theme if isinstance(user, Account) else "auto",
        "organisation": organisation(),
        "rungs": [rung for rung in rungs() if signed_in and policy.may(user, rung.verb)],
        "foot_pages": [page for page in foot_pages() if signed_in and policy.may(user, page.verb)],
        "own_pages": own_pages() if signed_in else [],
        "here_address": request.resolver_match.view_name if request.resolver_match else "",
        "here": request.resolver_match.namespace if request.resolver_match else "",
    }
