"""Refuses what content hosts must not be able to do, and says what an act refused."""

from __future__ import annotations

import json
import logging
import time
from collections.abc import Callable

from django.core.exceptions import PermissionDenied
from django.db import IntegrityError, OperationalError
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.core.numbers import whole_number
from stepladder.refusals import Refusal
from stepladder.web import bodies

logger = logging.getLogger(__name__)
SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
# So much of what is too large is still read off before it is refused, for so long.
MOST_LET_GO, SECONDS_LET_GO = 256 * 1024**2, 20


class RefuseOtherLetters:
    """A form in other letters than UTF-8 is refused: they can spell what no database keeps. No browser sends one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if (request.content_params or {}).get("charset", "utf-8").lower() not in ("utf-8", "utf8"):
            return HttpResponse("Send it in UTF-8.", status=415, content_type="text/plain; charset=utf-8")
        return self.get_response(request)


class RefuseLargeBodies:
    """A body that is longer than its address takes is refused by its length, and none of it is kept."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *args: object) -> HttpResponse | None:
        name = request.resolver_match.view_name if request.resolver_match else ""
        most = bodies.longest(name)
        length = whole_number(request.META.get("CONTENT_LENGTH") or "0")
        if most is None or (length is not None and length <= most):
            return None
        _let_go(request, length or 0)
        size = f"This is larger than the {most // 1024**2} MB that are taken here."
        text = f"{size} Nothing was changed: go back, shorten it and send it again."
        if request.headers.get("HX-Request"):
            toast = json.dumps({"toast": {"text": text, "trouble": True}})
            return HttpResponse(status=413, headers={"HX-Reswap": "none", "HX-Trigger": toast})
        return render(request, "web/error.html", {"title": "Too large", "text": text}, status=413)


def _let_go(request: HttpRequest, length: int) -> None:
    """Read a body off and forget it, as far as that takes no longer than somebody waits for an answer.

    Were it left unread, the connection would be reset with it, and a proxy or browser that is still sending would often never read
    the answer.
    """
    left, until = min(length, MOST_LET_GO), time.monotonic() + SECONDS_LET_GO
    try:
        while left > 0 and time.monotonic() < until and (piece := request.read(min(left, 65_536))):
            left -= len(piece)
    except OSError:
        # Whoever sent it is gone, and hears no answer either.
        logger.info("%s was given up while it was sent.", request.path)


class RefuseCrossSite:
    """An unsafe request that the browser says comes from another site is refused, beside the CSRF check."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_view(self, request: HttpRequest, *args: object) -> None:
        if request.method not in SAFE and request.headers.get("Sec-Fetch-Site") == "cross-site":
            raise PermissionDenied("This came from another site, so nothing was done.")


class SayRefusals:
    """What an act refused and its view did not expect is said: by a toast where a part was asked for, else on a page."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, exception: Exception) -> HttpResponse | None:
        if isinstance(exception, IntegrityError) and "UNIQUE constraint failed" in str(exception):
            # What must be single is held by the database: of two who do the same at once, the second is told so.
            logger.warning("Refused by the database: %s", exception)
            exception = Refusal("Somebody did the same a moment ago. Look at it again.")
        if isinstance(exception, OperationalError) and "locked" in str(exception):
            logger.warning("The database could not be had: %s", request.path)
            return _said(request, "The installation is very busy. Try again in a moment.", status=503)
        if not isinstance(exception, Refusal):
            return None
        return _said(request, str(exception), status=409)


def _said(request: HttpRequest, text: str, status: int) -> HttpResponse:
    if request.headers.get("HX-Request"):
        toast = json.dumps({"toast": {"text": text, "trouble": True}})
        return HttpResponse(status=status, headers={"HX-Reswap": "none", "HX-Trigger": toast})
    back = "" if request.method in SAFE else " Go back: what you entered is still there."
    context = {"title": "Not done", "text": f"{text} Nothing was changed.{back}"}
    return render(request, "web/error.html", context, status=status)
