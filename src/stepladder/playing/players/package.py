"""A package in its frame, from a content host; its run-time (playing.runtime) takes what it reports."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest

from stepladder.core.numbers import whole_number
from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing import launches, runtime
from stepladder.playing.players.base import GonePlayer, Player, Stage
from stepladder.playing.standards import is_known

__all__ = ["PackagePlayer"]


class PackagePlayer(Player):
    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        if not is_known(version.data["standard"]):
            return GonePlayer().stage(request, version, enrolment, attempt)
        context = _parts(request, version, attempt)
        key = attempt.pk if attempt else None
        launch = launches.address_of(request, attempt=key, version=version.pk, sco=context["part"])
        origin = launches.frame_origin(request, key, version.pk)
        return Stage("playing/package.html", {"launch": launch, "origin": origin, **context}, origin)

    def news(self, request: HttpRequest, attempt: Attempt) -> Mapping[str, Any]:
        return _parts(request, attempt.version, attempt)

    def try_again(self, attempt: Attempt, by: Actor) -> bool:
        return runtime.try_again(attempt=attempt, by=by) > 0


def _parts(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> dict[str, Any]:
    """The parts of a package, the one on the stage and the one after it, and those that were failed.

    Where none is asked for it is the first that is open and not done; one that is closed is not put on the stage.
    """
    parts = runtime.parts_of(version, attempt)
    waiting = [part.number for part in parts if part.is_open and not part.is_done]
    asked = whole_number(request.GET.get("part", ""))
    shown = parts[min(asked, len(parts) - 1)] if asked is not None else None
    if shown is None or not shown.is_open:
        shown = parts[waiting[0] if waiting else 0]
    return {
        "parts": parts if len(parts) > 1 else [],
        "part": shown.number,
        "next_part": next(
            (n for n in waiting if n > shown.number), next((n for n in waiting if n != shown.number), None)
        ),
        "failed": [part for part in parts if part.failed],
    }
