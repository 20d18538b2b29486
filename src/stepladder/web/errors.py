"""Error pages: what happened, what was kept, what to do now."""

from __future__ import annotations

from django.contrib.sessions.exceptions import SessionInterrupted
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string

from stepladder.web.request_ids import current_id

__all__ = ["csrf_failure", "denied", "not_found", "not_readable", "server_error"]


def not_readable(request: HttpRequest, exception: Exception) -> HttpResponse:
    """What was sent cannot be read; or (Django raises it as such) the session could not be written down."""
    # No context processors: they ask for a session, or a host, that may be what was wrong.
    if isinstance(exception, SessionInterrupted):
        text = {
            "title": "Look before you go on",
            "text": "You were signed out elsewhere meanwhile, or the installation was very busy. Look whether what you did "
            "is there, and do it again if it is not.",
        }
        return HttpResponse(render_to_string("web/server_error.html", text), status=503, headers={"Retry-After": "5"})
    text = {
        "title": "Not readable",
        "text": "What was sent could not be read, so nothing was changed. Go back, reload the page and send it again.",
    }
    return HttpResponse(render_to_string("web/server_error.html", text), status=400)


def not_found(request: HttpRequest, exception: Exception) -> HttpResponse:
    context = {
        "title": "Nothing here",
        "text": "There is nothing at this address that you may see. It may have been withdrawn, or the link may be cut short.",
    }
    return render(request, "web/error.html", context, status=404)


def denied(request: HttpRequest, exception: Exception) -> HttpResponse:
    context = {"title": "Not for this account", "text": str(exception) or "Your role does not open this address."}
    return render(request, "web/error.html", context, status=403)


def csrf_failure(request: HttpRequest, reason: str = "") -> HttpResponse:
    context = {
        "title": "Please send it again",
        "text": "The page was open too long, or cookies are off, so nothing was saved. Go back, reload the page and send it again.",
    }
    return render(request, "web/error.html", context, status=403)


def server_error(request: HttpRequest) -> HttpResponse:
    # No context processors and no database: whatever broke may break them too.
    text = {
        "title": "That went wrong",
        "text": "Nothing was changed by it. It is written to the log with the time, so that whoever keeps this "
        "installation can find it. Go back and try once more; if it happens again, tell them what you did.",
        "number": current_id(),
    }
    return HttpResponse(render_to_string("web/server_error.html", text), status=500)
