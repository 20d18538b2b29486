"""How far what follows from an act is."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.queue import queries


def under_way(request: HttpRequest, kind: str, public_id: str) -> HttpResponse:
    """Asked by the page of the thing itself, again and again; it tells how many, and of nobody who."""
    context = {"work": queries.under_way(kind, public_id), "kind": kind, "public_id": public_id, "was_asked": True}
    return render(request, "queue/under_way.html", context)
