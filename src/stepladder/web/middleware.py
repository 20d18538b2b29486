"""Refuses what content hosts must not be able to do."""

from __future__ import annotations

from collections.abc import Callable

from django.core.exceptions import PermissionDenied
from django.http import HttpRequest, HttpResponse

SAFE = frozenset({"GET", "HEAD", "OPTIONS"})


class RefuseCrossSite:
    """An unsafe request that the browser says comes from another site is refused, beside the CSRF check."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *args: object) -> None:
        if request.method not in SAFE and request.headers.get("Sec-Fetch-Site") == "cross-site":
            raise PermissionDenied("This came from another site, so nothing was done.")
