"""Each role's first page."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder import clock
from stepladder.desk import queries


def desk(request: HttpRequest) -> HttpResponse:
    context = {
        "lines": queries.desk_lines(request.user),
        "first_steps": queries.first_steps(),
        "today": clock.today(),
    }
    return render(request, "desk/desk.html", context)
