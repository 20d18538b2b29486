"""One box for everything."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.search import index


def results(request: HttpRequest) -> HttpResponse:
    text = request.GET.get("q", "").strip()
    return render(request, "search/results.html", {"q": text, "found": index.find(request.user, text)})
