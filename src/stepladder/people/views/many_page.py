"""The page of a verb on many people: who is chosen, its form, what it will do."""

from __future__ import annotations

from django import forms
from django.http import HttpRequest, HttpResponse, QueryDict

from stepladder.charts.pages import Act, act_page
from stepladder.people.models import Person

__all__ = ["data_of", "many_page"]

SHOWN = 12


def data_of(request: HttpRequest) -> QueryDict | None:
    """What the form was sent with; None where the page is only come to, with who is chosen."""
    return request.POST if "go" in request.POST or "effect" in request.POST else None


def many_page(
    request: HttpRequest, people: list[Person], form: forms.Form, act: Act, template: str = "people/many.html"
) -> HttpResponse:
    """The page of one verb on those chosen; sent, the act."""
    act.extra.update(
        {
            "chosen": people,
            "shown": people[:SHOWN],
            "more": max(len(people) - SHOWN, 0),
            "fits": request.POST.get("fits", ""),
            "query": request.POST.get("query", ""),
        }
    )
    return act_page(request, form, act, template)
