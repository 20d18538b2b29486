"""Who is signed in, as an account."""

from __future__ import annotations

from django.http import HttpRequest

from stepladder.accounts.models import Account

__all__ = ["account_of"]


def account_of(request: HttpRequest) -> Account:
    """The account of a request to an address that is not public: the policy let nobody else through."""
    assert isinstance(request.user, Account)
    return request.user
