"""What was done, said at the foot of the next page, with the way to take it back where there is one."""

from __future__ import annotations

import json

from django.contrib import messages
from django.http import HttpRequest, HttpResponse

__all__ = ["say", "say_now", "tell_page", "trouble"]


# Marks a message that can be taken back; the number of the act follows.
ACT = "act-"


def say(request: HttpRequest, text: str, *, act: int | None = None) -> None:
    """Say on the next page what was done; with the number of the *act*, offer to take it back."""
    messages.success(request, text, extra_tags=f"{ACT}{act}" if act else "")


def trouble(request: HttpRequest, text: str) -> None:
    """Say on the next page what was not done, and why."""
    messages.error(request, text)


def say_now(response: HttpResponse, text: str, *, is_trouble: bool = False) -> HttpResponse:
    """Have a part of a page that was swapped in say it at once."""
    return tell_page(response, "toast", {"text": text, "trouble": is_trouble})


def tell_page(response: HttpResponse, event: str, detail: object = None) -> HttpResponse:
    """Have an *event* happen in the page once a part of it was swapped in, beside those that it was told of before."""
    # After the swap: what asked may have been swapped out meanwhile, and before it the page would not hear.
    told = json.loads(response.headers.get("HX-Trigger-After-Swap", "{}"))
    response.headers["HX-Trigger-After-Swap"] = json.dumps({**told, event: detail})
    return response
