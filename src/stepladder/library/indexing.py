"""What the search knows of modules."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.library.kinds import kind_named
from stepladder.library.models import Module, ModuleState, ModuleVersion
from stepladder.library.queries import newest_versions
from stepladder.search import index

__all__ = ["index_modules"]


def index_modules(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these modules, or of all; withdrawn ones drop out."""
    modules = newest_versions(Module.objects.exclude(state=ModuleState.WITHDRAWN))
    if keys is not None:
        modules = modules.filter(pk__in=keys)
    return [
        index.Document(
            "module",
            m.pk,
            m.title,
            " ".join([m.description, *(tag.name for tag in m.tags.all()), *_words_in(m)]),
            reverse("library:module", args=[m.public_id]),
            m.kind,
        )
        for m in modules
    ]


def _words_in(module: Module) -> list[str]:
    newest: list[ModuleVersion] = module.newest  # type: ignore[attr-defined]
    return [kind_named(module.kind).words(version) for version in newest]


def on_change(event: events.ModuleProcessed, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh("module", (event.module,))
