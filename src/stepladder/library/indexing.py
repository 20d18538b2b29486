"""What the search knows of modules."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.library.models import Module, ModuleState
from stepladder.search import index

__all__ = ["index_modules"]


def index_modules(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these modules, or of all; withdrawn ones drop out."""
    modules = Module.objects.exclude(state=ModuleState.WITHDRAWN).prefetch_related("tags")
    if keys is not None:
        modules = modules.filter(pk__in=keys)
    return [
        index.Document(
            "module",
            m.pk,
            m.title,
            " ".join([m.description, *(tag.name for tag in m.tags.all())]),
            reverse("library:module", args=[m.public_id]),
            m.kind,
        )
        for m in modules
    ]


events.listen(
    events.ModuleProcessed, lambda event, act: index.refresh("module", (event.module,)), phase=events.Phase.DERIVE
)
