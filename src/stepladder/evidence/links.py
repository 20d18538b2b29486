"""Where packs are begun from and found: the index of Records, its board and lists, one person’s record."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, QueryDict
from django.urls import reverse
from django.utils.http import urlencode

from stepladder.accounts import policy
from stepladder.evidence.models import Pack
from stepladder.people.models import Person
from stepladder.records.index_groups import IndexGroup, IndexLink
from stepladder.web.margin import VerbLink

__all__ = ["of_person", "of_view", "packs_group"]

SHOWN = 3
# What of a view's filters a pack has too.
BROUGHT = ("unit", "course", "day", "known")


def packs_group(request: HttpRequest) -> IndexGroup | None:
    """The newest packs that one has asked for."""
    if not policy.may(request.user, "make evidence packs"):
        return None
    rows = Pack.objects.filter(account=request.user.pk).order_by("-created_at", "-pk")[:SHOWN]
    links = [
        IndexLink(pack.name, url, request.path == url)
        for pack in rows
        for url in (reverse("evidence:pack", args=[pack.public_id]),)
    ]
    every = reverse("evidence:packs")
    links.insert(0, IndexLink("Evidence packs", every, request.path == every))
    return IndexGroup("Evidence", links, IndexLink("A new pack…", reverse("evidence:new")))


def of_view(request: HttpRequest, _: Any) -> VerbLink | None:
    """On the board, a cell and lists: of the same unit, courses and days."""
    if not policy.may(request.user, "make evidence packs"):
        return None
    return VerbLink("Evidence pack…", f"{reverse('evidence:new')}?{_brought(request.GET)}")


def _brought(asked: QueryDict) -> str:
    said = [(name, value) for name in BROUGHT for value in asked.getlist(name) if value]
    return urlencode(said or [("day", "today")])


def of_person(request: HttpRequest, person: Person) -> VerbLink | None:
    """On a record: of this person."""
    if not policy.may(request.user, "make evidence packs"):
        return None
    said = [("person", person.public_id), *((n, request.GET[n]) for n in ("day", "known") if request.GET.get(n))]
    return VerbLink("Evidence pack…", f"{reverse('evidence:new')}?{urlencode(said)}")
