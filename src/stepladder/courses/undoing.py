"""What stands against taking back the release of a path, and what follows when it was."""

from __future__ import annotations

from typing import Any

from django.utils.translation import ngettext

from stepladder import events
from stepladder.courses.models import CourseState, Path, PathEdition
from stepladder.courses.paths import edition_of, plan_of
from stepladder.facts import Fact
from stepladder.journal import undoing

__all__ = ["register"]


def _climbed(rows: list[Fact]) -> list[str]:
    """A path that would never have been released, though people climb it."""
    editions: Any = rows
    before = {edition.path_id for edition in editions if edition.is_revoked}
    found = []
    for edition in editions:
        if edition.path_id in before:
            continue
        lines = events.propose(events.PathProposed(edition.path_id, plan_of(edition).courses))
        found += [f"{line.count} {line.text} by now: end its assignments first." for line in lines[:1]]
    return found


def _asks_otherwise(rows: list[Fact], act: events.Act) -> None:
    editions: Any = rows
    for key in sorted({edition.path_id for edition in editions}):
        path = Path.objects.get(pk=key)
        if edition_of(path) is None and path.state == CourseState.RELEASED:
            path.state = CourseState.DRAFT
            path.save(update_fields=["state"])
        events.announce(events.PathReleased(key), act)


def _edition(row: PathEdition) -> str:
    stages = ngettext("%d stage", "%d stages", len(row.stages)) % len(row.stages)
    courses = len(plan_of(row).courses)
    return f"“{row.title}”, edition {row.number}: {stages}, " + ngettext("%d course", "%d courses", courses) % courses


def register() -> None:
    undoing.add_table(PathEdition, describe=_edition, depends=_climbed, after=_asks_otherwise)
    undoing.add_verbs("build paths", "release_path", whose=undoing.of_object(Path))
