"""Searches of the library that somebody keeps in their index."""

from __future__ import annotations

from urllib.parse import parse_qsl, urlencode

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.signed_in import account_of
from stepladder.library.errors import LibraryError
from stepladder.library.models import KeptSearch
from stepladder.web import toasts
from stepladder.web.onwards import asked_address

__all__ = ["change_kept", "drop_search", "keep_search", "kept_of"]

# An index is no place for more.
MOST = 20


@transaction.atomic
def keep_search(*, name: str, query: str, by: Account) -> None:
    """Under a name, in the index of who keeps it; one of the same name is replaced. Raises LibraryError."""
    policy.require(by, "see modules")
    name = " ".join(name.split())[:60]
    asked = [(key, value) for key, value in parse_qsl(query[:2000]) if key != "page"]
    if not name or not asked:
        raise LibraryError("Give the search a name, and something that it asks.")
    others = KeptSearch.objects.filter(account=by).exclude(name=name)
    if others.count() >= MOST:
        raise LibraryError(f"{MOST} searches are kept already. Take one away first.")
    KeptSearch.objects.update_or_create(account=by, name=name, defaults={"query": urlencode(asked)})


@transaction.atomic
def drop_search(*, key: int, by: Account) -> None:
    """It is no longer kept."""
    policy.require(by, "see modules")
    KeptSearch.objects.filter(pk=key, account=by).delete()


def kept_of(account: Account) -> list[KeptSearch]:
    """What somebody keeps, by name."""
    return list(KeptSearch.objects.filter(account=account).order_by("name"))


@require_POST
def change_kept(request: HttpRequest) -> HttpResponse:
    """Keep the search that `query` says as `name`, or drop the one that `drop` names; back to where one was."""
    by, back = account_of(request), asked_address(request, request.POST.get("back", "")) or reverse("library:home")
    dropped = request.POST.get("drop", "")
    try:
        if dropped.isdecimal() and len(dropped) < 12:
            drop_search(key=int(dropped), by=by)
        else:
            keep_search(name=request.POST.get("name", ""), query=request.POST.get("query", ""), by=by)
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect(back)
