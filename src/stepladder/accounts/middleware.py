"""Every address is opened through the policy."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import urlencode, urlsplit

from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse
from django.urls import reverse

from stepladder.accounts import policy


def _sign_in_first(request: HttpRequest, name: str) -> HttpResponse:
    """People are led to the page to sign in; a script is told so, and a part of a page has its page led there."""
    if request.headers.get("HX-Request"):
        # Back to the page that the part is of, not to the part.
        back = urlsplit(request.headers.get("HX-Current-URL", "")).path or "/"
        return HttpResponse(
            status=401, headers={"HX-Redirect": f"{reverse('accounts:sign_in')}?{urlencode({'next': back})}"}
        )
    if name in policy.FOR_SCRIPTS:
        return HttpResponse("Sign in first.", status=401, content_type="text/plain; charset=utf-8")
    return redirect_to_login(request.get_full_path())


class KeepNothing:
    """What somebody saw who was signed in is kept by no browser: after signing out, Back shows nothing.

    Films, sound and pictures may stay: to fetch them again costs more than they tell.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        kind = response.headers.get("Content-Type", "")
        if request.user.is_authenticated and not kind.startswith(("video/", "audio/", "image/")):
            response.headers.setdefault("Cache-Control", "no-store, private")
        return response


class AddressPolicy:
    """Refuses an address that the account's roles do not open, before its view runs."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(
        self, request: HttpRequest, view: Callable[..., Any], args: tuple[Any], kwargs: dict[str, Any]
    ) -> HttpResponse | None:
        name = request.resolver_match.view_name if request.resolver_match else ""
        verb = policy.ADDRESSES.get(name)
        if verb is None:
            raise PermissionDenied(f"The address “{name}” has no entry in the policy.")
        if verb == policy.PUBLIC:
            return None
        if not request.user.is_authenticated:
            return _sign_in_first(request, name)
        policy.require(request.user, verb)
        return None
