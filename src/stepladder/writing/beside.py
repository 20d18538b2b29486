"""Films and sound beside questions: what is played by the name that a question has for it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from typing import Any

from django.db.models import QuerySet

from stepladder.accounts import policy
from stepladder.core.questions import media_beside
from stepladder.journal.actions import Actor
from stepladder.library.models import Module, ModuleState, ModuleVersion
from stepladder.writing.addresses import Here
from stepladder.writing.asking import GONE, Played

__all__ = ["PLAYED", "Play", "are_usable", "play_by", "played_for", "versions_named"]

Play = Callable[[str], Played]
PLAYED = frozenset({"video", "audio"})


def versions_named(names: Iterable[str], modules: QuerySet[Module] | None = None) -> dict[str, ModuleVersion]:
    """Versions by their public ids, those of modules that were deleted left out, of some *modules* alone if given: one query, none for
    no names.
    """
    wanted = set(names)
    if not wanted:
        return {}
    rows = ModuleVersion.objects.filter(public_id__in=wanted).exclude(module__state=ModuleState.DELETED)
    if modules is not None:
        rows = rows.filter(module__in=modules)
    return {version.public_id: version for version in rows.select_related("module", "original")}


def are_usable(names: Collection[str], by: Actor) -> bool:
    """Whether somebody may use all of these versions: whoever shows them shows them to others, by the right of what they stand in."""
    if not names:
        return True
    usable = policy.visible(by, "use modules", Module.objects.all())
    return ModuleVersion.objects.filter(public_id__in=set(names), module__in=usable).count() == len(set(names))


def play_by(media: Mapping[str, ModuleVersion], at: Here) -> Play:
    """What is played by its version's public id, of versions at hand."""

    def play(name: str) -> Played:
        version = media.get(name)
        # A document or a package beside a question is nothing to be played.
        if version is None or version.module.kind not in PLAYED:
            return GONE
        is_film = version.module.kind == "video"
        return Played(is_film, version.module.title, at.media(version), at.captions(version), at.still(version))

    return play


def played_for(account: int, questions: Iterable[Mapping[str, Any]], modules: QuerySet[Module] | None = None) -> Play:
    """What is beside questions in their JSON form, played on our own pages for an account; *modules*: of these alone, where what was
    sent is only tried.
    """
    named = [name for raw in questions for name in media_beside(raw)]
    return play_by(versions_named(named, modules), Here(account))
