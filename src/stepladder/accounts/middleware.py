"""Every address is opened through the policy."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.contrib.auth.views import redirect_to_login
from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse

from stepladder.accounts import policy


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
            return redirect_to_login(request.get_full_path())
        policy.require(request.user, verb)
        return None
