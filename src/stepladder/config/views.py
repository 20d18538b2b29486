"""The first page of one's role, and the health of the installation."""

from __future__ import annotations

from django.conf import settings
from django.db import DatabaseError, connection
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import redirect, render
from django.templatetags.static import static
from django.utils import timezone
from django_tasks_db.models import DBTaskResult

from stepladder.accounts import policy
from stepladder.library.queries import halted_uploads
from stepladder.library.storage import free_bytes
from stepladder.queue.queries import failed_count
from stepladder.web.frame import landings

LEAST_FREE = 256 * 1024**2
WAITS_TOO_LONG_SECONDS = 600


def home(request: HttpRequest) -> HttpResponse:
    """Go to the first page of one's role."""
    for address, verb in landings():
        if policy.may(request.user, verb):
            return redirect(address)
    return redirect("accounts:settings")


def parts(request: HttpRequest) -> HttpResponse:
    """Every component on one page; in the demo only."""
    if not settings.DEMO:
        return HttpResponse(status=404)
    return render(request, "web/parts.html")


def icon(request: HttpRequest) -> HttpResponse:
    """Browsers ask for it beside pages that cannot name their own: a PDF."""
    return redirect(static("web/mark.svg"), permanent=True)


def health(request: HttpRequest) -> JsonResponse:
    """The state of database, queue and storage; 503 where one of them is not well."""
    found = {"database": _database(), "queue": _queue(), "storage": _storage()}
    well = all(part["ok"] for part in found.values())
    return JsonResponse({"ok": well, **found}, status=200 if well else 503)


def _database() -> dict[str, object]:
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT 1")
    except DatabaseError as error:
        return {"ok": False, "says": str(error)}
    return {"ok": True}


def _queue() -> dict[str, object]:
    waiting = DBTaskResult.objects.ready().order_by("enqueued_at")
    first = waiting.first()
    age = (timezone.now() - first.enqueued_at).total_seconds() if first else 0
    # What failed for good waits for somebody, on the Desk; the installation itself is well.
    return {
        "ok": age < WAITS_TOO_LONG_SECONDS,
        "waiting": waiting.count(),
        "oldest_seconds": round(age),
        "failed": failed_count(),
        "uploads_halted": halted_uploads().count(),
    }


def _storage() -> dict[str, object]:
    free = free_bytes()
    return {"ok": free > LEAST_FREE, "free_mb": free // 1024**2}
