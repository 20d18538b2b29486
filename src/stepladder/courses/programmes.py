"""Everything that writes programmes."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from stepladder.accounts import policy
from stepladder.courses.errors import CourseError
from stepladder.courses.models import CourseState, Path, Programme
from stepladder.courses.offers import kept_reach
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Binder

__all__ = ["ProgrammeSaid", "paths_of", "remove_programme", "save_programme"]


@dataclass(frozen=True)
class ProgrammeSaid:
    """What one says of a programme; *reach* None: it is for everybody."""

    title: str
    summary: str
    paths: Sequence[Path]
    reach: Mapping[str, Any] | None
    is_shown: bool


def paths_of(programme: Programme) -> list[Path]:
    """Its paths, in order; what there is no more is left out."""
    found = Path.objects.select_related("binder").in_bulk(programme.paths)
    return [found[key] for key in programme.paths if key in found]


@transaction.atomic
def save_programme(*, programme: Programme | None, binder: Binder, said: ProgrammeSaid, by: Actor) -> Programme:
    """A programme, new or changed; it holds at once. Raises CourseError."""
    policy.require(by, "change courses", binder)
    if programme is not None:
        policy.require(by, "change courses", programme)
    if not said.paths:
        raise CourseError("Choose at least one path.")
    waiting = [path.title for path in said.paths if path.state != CourseState.RELEASED]
    if said.is_shown and waiting:
        raise CourseError(f"“{waiting[0]}” is not released: release it, or do not show the programme yet.")
    saved = programme or Programme()
    saved.binder, saved.title, saved.summary = binder, said.title, said.summary
    saved.paths, saved.is_shown = [path.pk for path in said.paths], said.is_shown
    saved.found_by = kept_reach(said.reach) if said.reach is not None else None
    saved.save()
    data = {"count": len(saved.paths), "shown": "shown" if said.is_shown else "not shown"}
    record("save_programme", by=by, about=Named("programme", saved.public_id, saved.title), data=data)
    return saved


@transaction.atomic
def remove_programme(*, programme: Programme, by: Actor) -> None:
    """Its paths, and whoever climbs them, stay."""
    policy.require(by, "change courses", programme)
    record("remove_programme", by=by, about=Named("programme", programme.public_id, programme.title))
    programme.delete()
