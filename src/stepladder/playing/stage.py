"""What plays a module's version in a page: a package in its frame, film or sound, a document; or what was handed in for a kind."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.core.numbers import whole_number
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library import storage
from stepladder.library.models import ModuleVersion
from stepladder.playing import launches, media
from stepladder.playing.models import ScoState, part_keys

__all__ = ["add_stage", "render_stage", "stage", "unplayed"]

PLAYERS = {"package": "package", "video": "film", "audio": "film", "document": "pages"}

# For a kind that is not played: given the enrolment (None: a trial) and the module, the context of its template.
MakeStage = Callable[[HttpRequest, Enrolment | None, ModuleVersion], Mapping[str, Any]]
_unplayed: dict[str, tuple[str, MakeStage]] = {}


def add_stage(kind: str, template: str, make: MakeStage) -> None:
    """Hand in what stands on the stage for a kind of module that is not played: the times of a session, say."""
    _unplayed[kind] = (template, make)


def unplayed(request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None) -> dict[str, Any]:
    """The context of the stage of a version that is not played; without an enrolment it is a trial."""
    template, make = _unplayed[version.module.kind]
    found = {"module": version.module, "version": version, "is_trial": enrolment is None, "player": template}
    return {**found, **make(request, enrolment, version)}


def stage(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> dict[str, Any]:
    """The context of the player of a version; without an attempt it is a trial."""
    player = PLAYERS[version.module.kind]
    found = _package(request, version, attempt) if player == "package" else _media(request, version, player)
    return {
        "module": version.module,
        "version": version,
        "is_trial": attempt is None,
        "player": f"playing/{player}.html",
        **found,
    }


def render_stage(request: HttpRequest, template: str, context: Mapping[str, Any]) -> HttpResponse:
    """The page with a player, which may frame the package's own origin and no other."""
    response = render(request, template, context)
    if "origin" in context:
        response._csp_update = {"frame-src": [context["origin"]]}  # type: ignore[attr-defined]
    return response


def _package(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> dict[str, Any]:
    scos = version.data["scos"]
    asked = request.GET.get("part", "")
    sco = min(whole_number(asked) or 0, len(scos) - 1)
    done = set(ScoState.objects.filter(attempt=attempt, is_done=True).values_list("part", flat=True)) if attempt else ()
    key = attempt.pk if attempt else None
    keys = part_keys(scos)
    parts = [(n, s["title"] or f"Part {n + 1}", keys[n] in done) for n, s in enumerate(scos)]
    return {
        "launch": launches.address_of(request, attempt=key, version=version.pk, sco=sco),
        "origin": launches.frame_origin(request, key, version.pk),
        "parts": parts if len(parts) > 1 else [],
        "part": sco,
    }


def _media(request: HttpRequest, version: ModuleVersion, player: str) -> dict[str, Any]:
    account = request.user.pk
    assert account is not None
    found: dict[str, Any] = {"source": media.media_url(version.pk, account)}
    if (storage.derived_folder(version) / "captions.vtt").exists():
        found["captions"] = media.media_url(version.pk, account, "captions")
    if (storage.derived_folder(version) / "still.jpg").exists() and player == "film":
        found["still"] = media.media_url(version.pk, account, "still")
    return found
