"""A number for each request and each task, so that what the log says of one can be found: by who was told it, or at the proxy."""

from __future__ import annotations

import re
import uuid
from collections.abc import Callable
from contextvars import ContextVar
from typing import Any

from django.conf import settings
from django.http import HttpRequest, HttpResponse

__all__ = ["HEADER", "GiveRequestId", "current_id", "id_of_none", "id_of_task"]

HEADER = "X-Request-ID"
_PLAUSIBLE = re.compile(r"[A-Za-z0-9._-]{8,64}")
_current: ContextVar[str] = ContextVar("request_id", default="")


def current_id() -> str:
    """The number of the request, or of the task, that is being seen to; "" outside of both."""
    return _current.get()


def id_of_task(sender: Any, task_result: Any, **kwargs: Any) -> None:
    """A task that begins in this thread is what the log speaks of from now on."""
    _current.set(f"task-{task_result.id}")


def id_of_none(**kwargs: Any) -> None:
    """A task is over: what this thread says next is not its."""
    _current.set("")


class GiveRequestId:
    """First of all: the proxy's number where one stands before this server and gives a plausible one, else a new one."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        given = request.headers.get(HEADER, "") if settings.BEHIND_TLS else ""
        number = given if _PLAUSIBLE.fullmatch(given) else uuid.uuid4().hex
        token = _current.set(number)
        try:
            response = self.get_response(request)
        finally:
            _current.reset(token)
        response.headers[HEADER] = number
        return response
