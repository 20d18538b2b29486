"""Showing a path within pages of other sites."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Embedded
from stepladder.courses.models import CourseState, Path
from stepladder.journal.actions import Actor, Named, record

__all__ = ["embed", "end_embedding"]


@transaction.atomic
def embed(*, path: Path, by: Actor) -> Embedded:
    """Whoever has the address sees its titles, lengths and days, where a site that is named shows it. Raises CatalogueError."""
    policy.require(by, "embed paths", path)
    if path.state != CourseState.RELEASED:
        raise CatalogueError(f"“{path.title}” is not released: there is nothing to show yet.")
    made, is_new = Embedded.objects.get_or_create(path=path, defaults={"at": clock.now()})
    if is_new:
        record("embed", by=by, about=Named("path", path.public_id, path.title))
    return made


@transaction.atomic
def end_embedding(*, path: Path, by: Actor) -> None:
    """Its address shows nothing any more; embedded again it gets another one."""
    policy.require(by, "embed paths", path)
    if Embedded.objects.filter(path=path).delete()[0]:
        record("end_embedding", by=by, about=Named("path", path.public_id, path.title))
