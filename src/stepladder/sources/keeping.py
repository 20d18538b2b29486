"""What of a source is kept with its modules: the strongest of what is said of each. Rule: 18."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from stepladder import events
from stepladder.core.finding import fold
from stepladder.core.sources import strongest
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.details import DETAILS, details_of, read_tags
from stepladder.library.editing import set_details
from stepladder.library.models import ModuleState
from stepladder.library.titles import titles_in, unlike
from stepladder.sources.models import Source, SourceItem
from stepladder.web.sheets import TOUCHED, touch

__all__ = ["apply_details", "defaults_of"]


def defaults_of(source: Source) -> dict[str, object]:
    """What a source says of everything in it."""
    said: dict[str, object] = {"rights": source.rights}
    if source.language:
        said["language"] = source.language
    if tags := read_tags(source.tags):
        said["tags"] = tags
    if topics := sorted(topic.public_id for topic in source.topics.all()):
        said["topics"] = topics
    return said


def _details(said: Mapping[str, Any]) -> dict[str, Any]:
    """What is said of a file, but for its picture, which is no detail."""
    return {name: value for name, value in said.items() if name in DETAILS}


@transaction.atomic
def apply_details(items: Sequence[SourceItem], *, by: Actor) -> int:
    """Write what the sheet, the files and the source say into modules, but what was edited here; how many are others now.

    *items* were read with their source and module.
    """
    changed: dict[str, list[str]] = {}
    act = None
    for item in items:
        module = item.module
        if module is None or module.state == ModuleState.DELETED:
            continue
        wanted = strongest(module.edited, _details(item.beside), _details(item.said), defaults_of(item.source))
        now = details_of(module)
        if "title" in wanted and wanted["title"] != now["title"]:
            taken = titles_in(module.binder)
            taken[fold(module.title)] = [key for key in taken.get(fold(module.title), []) if key != module.pk]
            wanted["title"] = unlike(wanted["title"], {title for title, keys in taken.items() if keys})
        others = {name: value for name, value in wanted.items() if now[name] != value}
        if others:
            touch(module, revision=None, by_name=by.name)
            set_details(module, others, by_hand=False)
            module.save(update_fields=TOUCHED)
            changed[module.public_id] = sorted(others)
    if changed:
        source = items[0].source
        data = {"count": f"{len(changed)} module{'s' if len(changed) != 1 else ''}", "changed": changed}
        act = record("take_details", by=by, about=Named("source", source.public_id, source.name), data=data).act
        for item in items:
            if item.module and item.module.public_id in changed:
                events.announce(events.ModuleProcessed(item.module.pk), act)
    return len(changed)
