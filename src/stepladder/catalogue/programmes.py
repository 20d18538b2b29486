"""Programmes as learners have them: which are theirs, and how they stand with the paths."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import Q, QuerySet

from stepladder import clock
from stepladder.assignments.paths import Climb, climbs_ahead
from stepladder.catalogue.permissions import found_paths, held_reaches
from stepladder.core.days import FOREVER
from stepladder.core.paths import DONE
from stepladder.courses.models import Path, Programme
from stepladder.courses.programmes import paths_of
from stepladder.people.permissions import person_of

__all__ = ["PathIn", "programme_paths", "programmes_for"]


@dataclass(frozen=True)
class PathIn:
    """A path of a programme as one stands with it: None where it is not asked of them. *may_open*: it stands in their catalogue."""

    path: Path
    climb: Climb | None
    may_open: bool

    @property
    def is_done(self) -> bool:
        return self.climb is not None and self.climb.requirement.status in DONE

    @property
    def due(self) -> date | None:
        """The day by which what is not done is due."""
        due = self.climb.requirement.due if self.climb and not self.is_done else None
        return None if due == FOREVER else due


def programmes_for(account: Any) -> QuerySet[Programme]:
    """The programmes that are shown and for somebody."""
    if person_of(account) is None:
        return Programme.objects.none()
    whom = Q(found_by__isnull=True) | Q(found_by__in=held_reaches(account))
    return Programme.objects.filter(whom, is_shown=True)


def programme_paths(account: Any, programme: Programme) -> list[PathIn]:
    """Its paths in order; one that is withdrawn stands only where somebody climbs it."""
    person = person_of(account)
    if person is None:
        return []
    climbing = {climb.edition.path_id: climb for climb in climbs_ahead([person.pk], clock.today())}
    may_open = set(found_paths(account).filter(pk__in=programme.paths).values_list("pk", flat=True))
    return [
        PathIn(path, climbing.get(path.pk), path.pk in may_open)
        for path in paths_of(programme)
        if path.state == "released" or path.pk in climbing
    ]
