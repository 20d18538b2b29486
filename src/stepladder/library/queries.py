"""Reading the library."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import Count, OuterRef, Prefetch, Q, QuerySet, Subquery
from django.db.models.functions import Coalesce

from stepladder import clock
from stepladder.accounts import policy
from stepladder.library.details import LANGUAGES
from stepladder.library.kinds import kind_named
from stepladder.library.models import (
    DONE_SHOWN,
    HALTED,
    OUT_OF_USE,
    SAID_SHOWN,
    Binder,
    Module,
    ModuleMark,
    ModuleVersion,
    Tag,
    Upload,
)

__all__ = [
    "ModuleRow",
    "binders",
    "halted_uploads",
    "languages_in_use",
    "marked_among",
    "module_rows",
    "newest_of",
    "newest_versions",
    "recent_uploads",
    "tags_in_use",
]


def edited_by(account: Any) -> Q:
    """Binders whose content the account changes."""
    return Q(owner=account) | Q(pk__in=Binder.co_editors.through.objects.filter(account=account).values("binder"))


def binders(account: Any) -> QuerySet[Binder]:
    """The binders one may see, with how many modules each holds."""
    shown = policy.visible(account, "see modules", Binder.objects.all())
    # Counted by the index alone, binder by binder: joined, every module would be sorted with all that is said of its binder.
    inside = Module.objects.filter(binder=OuterRef("pk")).exclude(state__in=OUT_OF_USE).order_by().values("binder")
    return shown.annotate(count=Coalesce(Subquery(inside.values(n=Count("pk"))), 0)).order_by("name")


def newest_versions(modules: QuerySet[Module]) -> QuerySet[Module]:
    """Modules with `newest`, the list of their one newest version, in one query more."""
    newest = ModuleVersion.objects.filter(module=OuterRef("module")).order_by("-number").values("pk")[:1]
    return modules.prefetch_related(
        Prefetch("versions", queryset=ModuleVersion.objects.filter(pk=Subquery(newest)), to_attr="newest"),
        "tags",
        "topics__parent",
    )


def newest_of(module: Module) -> list[ModuleVersion]:
    """The newest version of a module that was read with `newest_versions`, in a list; none where a draft has none yet."""
    newest: list[ModuleVersion] = module.newest  # type: ignore[attr-defined]
    return newest


@dataclass(frozen=True)
class ModuleRow:
    """A module in a list; *version* is None where a draft has none yet."""

    module: Module
    version: int | None
    description: str


def module_rows(modules: Sequence[Module]) -> list[ModuleRow]:
    """Rows of modules that were read with their newest versions."""
    rows = []
    for module in modules:
        newest: list[ModuleVersion] = module.newest  # type: ignore[attr-defined]
        described = kind_named(module.kind).describe(newest[0].data) if newest else "nothing to use yet"
        rows.append(ModuleRow(module, newest[0].number if newest else None, described))
    return rows


def marked_among(account: Any, rows: Sequence[ModuleRow]) -> set[int]:
    """Of the modules of a list, the keys of those that the account marked."""
    keys = [row.module.pk for row in rows]
    return set(ModuleMark.objects.filter(account=account, module__in=keys).values_list("module", flat=True))


def tags_in_use(binder: Binder | None = None) -> list[str]:
    """The tags of modules, most used first."""
    tags = Tag.objects.filter(modules__binder=binder) if binder else Tag.objects.filter(modules__isnull=False)
    return list(tags.annotate(n=Count("modules")).order_by("-n", "name").values_list("name", flat=True)[:16])


def languages_in_use(binder: Binder | None = None) -> dict[str, str]:
    """The languages that modules are said to be in: code and name, by name."""
    modules = Module.objects.exclude(language="")
    modules = modules.filter(binder=binder) if binder else modules
    used = set(modules.order_by().values_list("language", flat=True).distinct())
    return {code: name for code, name in LANGUAGES.items() if code in used}


def halted_uploads() -> QuerySet[Upload]:
    """Files that have arrived whole and are not being worked out any more, by their last beat."""
    under_way = Upload.objects.filter(state__in=[Upload.State.WAITING, Upload.State.WORKING], is_dismissed=False)
    return under_way.filter(beat_at__lt=clock.now() - HALTED).select_related("binder")


# Of hundreds on their way at once so many lines are shown; those that arrived are one sentence.
UPLOADS_SHOWN = 400


def recent_uploads(account: Any, binder: Binder) -> list[Upload]:
    """Uploads into a binder that are on their way, failed, or were done a short while ago and not yet put out of sight."""
    shown = Upload.objects.filter(binder=binder, is_dismissed=False).select_related("module", "twin")
    if not policy.may(account, "change modules", binder):
        shown = shown.filter(account=account)
    now = clock.now()
    gone = Q(message="", beat_at__lt=now - DONE_SHOWN) | Q(beat_at__lt=now - SAID_SHOWN)
    return list(shown.exclude(gone, state=Upload.State.DONE)[:UPLOADS_SHOWN])
