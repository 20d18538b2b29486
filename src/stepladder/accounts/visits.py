"""From signing in to signing out in one browser. What is opened outside the application's own host lasts as long as that."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.http import HttpRequest

from stepladder import clock
from stepladder.accounts.models import Account, Visit

__all__ = ["PARTING", "end_visits", "is_open", "on_signed_in", "on_signing_out", "visit_of"]

# What a page sends as it goes arrives after the signing out that made it go.
PARTING = timedelta(minutes=2)
KEY = "visit"


def visit_of(request: HttpRequest) -> str:
    """The public id of the visit that a request belongs to; begun here for who was signed in before visits were kept."""
    if KEY not in request.session:
        assert isinstance(request.user, Account), "only who is signed in opens anything"
        request.session[KEY] = Visit.objects.create(account=request.user, begun_at=clock.wall()).public_id
    found: str = request.session[KEY]
    return found


def is_open(public_id: str, *, is_parting: bool = False) -> bool:
    """Whether a visit lasts; *is_parting*: or has just ended."""
    # Asked with every report of a package: only what decides is read.
    found = Visit.objects.filter(public_id=public_id, account__is_active=True).values_list("ended_at").first()
    if found is None:
        return False
    return found[0] is None or (is_parting and found[0] > clock.wall() - PARTING)


def end_visits(account: Account) -> None:
    """End all visits of an account: it was locked, or its password is another."""
    Visit.objects.filter(account=account, ended_at__isnull=True).update(ended_at=clock.wall())


def on_signed_in(request: HttpRequest, user: Account, **_: Any) -> None:
    request.session[KEY] = Visit.objects.create(account=user, begun_at=clock.wall()).public_id


def on_signing_out(request: HttpRequest, **_: Any) -> None:
    Visit.objects.filter(public_id=request.session.get(KEY, ""), ended_at__isnull=True).update(ended_at=clock.wall())
