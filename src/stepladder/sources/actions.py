"""Making, changing and switching sources, and giving what was edited back to them."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.journal.actions import Actor, Named, record
from stepladder.library import editing
from stepladder.library.models import Binder, Module
from stepladder.queue.actions import Queue, later
from stepladder.sources.keeping import apply_details
from stepladder.sources.models import Source, SourceItem
from stepladder.sources.tasks import look_at_source
from stepladder.topics.models import Topic
from stepladder.web.sheets import TOUCHED, touch

__all__ = [
    "about",
    "ask_for_look",
    "change_source",
    "create_source",
    "give_back_detail",
    "set_picture",
    "switch_source",
]


def about(source: Source) -> Named:
    """The source as the journal names it."""
    return Named("source", source.public_id, source.name)


@transaction.atomic
def create_source(*, name: str, kind: str, place: str, binder: Binder, by: Account, **said: Any) -> Source:
    """A source, switched on: it is looked at within a minute."""
    policy.require(by, "keep sources")
    policy.require(by, "change modules", binder)
    topics: Collection[str] = said.pop("topics", ())
    source = Source.objects.create(
        name=name, kind=kind, place=place, binder=binder, account=by, changed_at=clock.now(), changed_by=by.name, **said
    )
    source.topics.set(Topic.objects.filter(public_id__in=topics))
    record("create_source", by=by, about=about(source), data={"place": place})
    return source


@transaction.atomic
def change_source(*, source: Source, revision: int | None, by: Account, **said: Any) -> Source:
    """Its name, place, sheet and defaults. What is in it is looked at anew. Raises NewerChange."""
    policy.require(by, "keep sources", source)
    touch(source, revision=revision, by_name=by.name)
    topics: Collection[str] = said.pop("topics", ())
    for field, value in said.items():
        setattr(source, field, value)
    source.sheet_seen = ""
    source.save(update_fields=[*TOUCHED, *said, "sheet_seen"])
    source.topics.set(Topic.objects.filter(public_id__in=topics))
    record("change_source", by=by, about=about(source), data={"place": source.place})
    return source


@transaction.atomic
def switch_source(*, source: Source, is_on: bool, by: Actor) -> Source:
    """On or off: off, it is not looked at, and what came of it stays."""
    policy.require(by, "keep sources", source)
    touch(source, revision=None, by_name=by.name)
    source.is_on, source.asked_at = is_on, None
    source.save(update_fields=[*TOUCHED, "is_on", "asked_at"])
    record("switch_source", by=by, about=about(source), data={"how": "on" if is_on else "off"})
    return source


@transaction.atomic
def set_picture(*, source: Source, digest: str, by: Actor) -> None:
    """A picture of its own (library.own_pictures), or none: then one is drawn."""
    policy.require(by, "keep sources", source)
    source.picture = digest
    source.save(update_fields=["picture"])
    how = "a picture of its own" if digest else "no own picture"
    record("set_picture", by=by, about=about(source), data={"how": how})


@transaction.atomic
def ask_for_look(*, source: Source, by: Actor) -> None:
    """Look at it now, whatever the clock says."""
    policy.require(by, "keep sources", source)
    Source.objects.filter(pk=source.pk).update(asked_at=clock.now())
    later(look_at_source, queue=Queue.NOW, source_id=source.pk)


@transaction.atomic
def give_back_detail(*, module: Module, name: str, by: Actor) -> None:
    """A detail that was edited here is the source's again, at once."""
    policy.require(by, "change modules", module)
    editing.give_back(module=module, name=name, by=by)
    items = SourceItem.objects.filter(module=module).select_related("source", "module__binder")
    apply_details(list(items), by=by)
