"""Reading sources."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db.models import Count, Exists, OuterRef, Q, QuerySet

from stepladder.accounts import policy
from stepladder.library.models import Binder
from stepladder.sources.models import Source, SourceItem

__all__ = ["SHOWN", "choices", "come_from", "counted_sources", "items_of", "names_of"]

SHOWN = {
    "": "everything",
    "new": "what is new",
    "changed": "what has a newer version",
    "missing": "what is missing",
    "trouble": "what could not be used",
}


def counted_sources() -> QuerySet[Source]:
    """Every source with how much is in it, missing, and could not be used."""
    return Source.objects.select_related("binder", "account").annotate(
        here=Count("items", filter=Q(items__is_missing=False)),
        missing=Count("items", filter=Q(items__is_missing=True)),
        refused=Count("items", filter=~Q(items__trouble="")),
    )


def items_of(source: Source, shown: str) -> QuerySet[SourceItem]:
    """What is in a source, narrowed to one of SHOWN; the latest first where it is about what is new."""
    items = source.items.select_related("module", "upload")
    wanted = {
        "new": Q(is_new=True, is_missing=False),
        "changed": Q(is_new=False, is_missing=False),
        "missing": Q(is_missing=True),
        "trouble": ~Q(trouble=""),
    }
    items = items.filter(wanted[shown]) if shown in wanted else items
    return items.order_by("-changed_at", "path") if shown in ("new", "changed") else items.order_by("path", "pk")


def come_from(key: str) -> Q:
    """Of modules: those that came from the source of a public id."""
    return Q(Exists(SourceItem.objects.filter(module=OuterRef("pk"), source__public_id=key)))


def names_of(modules: Collection[int]) -> dict[int, str]:
    """The name of the source that each of modules (by their keys) came from."""
    items = SourceItem.objects.filter(module__in=modules).order_by("-is_missing", "-pk")
    return dict(items.values_list("module", "source__name"))


def choices(account: Any) -> dict[str, str]:
    """The sources that the library can be narrowed to: those into binders whose modules the account sees."""
    seen = policy.visible(account, "see modules", Binder.objects.all())
    return dict(Source.objects.filter(binder__in=seen).values_list("public_id", "name"))
