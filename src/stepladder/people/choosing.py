"""Whom the list of people shows, and who is chosen in it: for the verbs on many, here and in apps nearer the roof."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest, QueryDict

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.models import Position, Unit
from stepladder.people import queries
from stepladder.people.models import Person, PersonField

__all__ = ["chosen_people", "fitting", "list_filters"]


def list_filters(asked: QueryDict) -> dict[str, Any]:
    """What an address asks of the list of people."""
    return {
        "text": asked.get("q", ""),
        "unit": Unit.objects.filter(public_id=asked.get("unit", "")).first(),
        "position": Position.objects.filter(public_id=asked.get("position", "")).first(),
        "state": asked.get("state", "active"),
        "field": PersonField.objects.filter(public_id=asked.get("field", "")).first(),
        "value": asked.get("value", "").strip(),
        "who": asked.get("who", ""),
    }


def fitting(asked: QueryDict, account: Any) -> QuerySet[Any]:
    """Whom a list with these filters shows to an account."""
    return policy.visible(account, "see people", queries.find_people(day=clock.today(), **list_filters(asked)))


def chosen_people(request: HttpRequest, verb: str = "change people") -> list[Person]:
    """Those ticked, or all who fit the filters that the list had; of them those to whom the account may do *verb*."""
    if request.POST.get("fits"):
        people = fitting(QueryDict(request.POST.get("query", "")), request.user)
    else:
        people = Person.objects.filter(public_id__in=request.POST.getlist("chosen"))
    shown = policy.visible(request.user, verb, people.select_related("account"))
    return list(shown.order_by("family_name", "given_name", "pk"))
