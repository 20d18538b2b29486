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
from stepladder.playing import launches, media, runtime

__all__ = ["add_stage", "parts_context", "render_stage", "stage", "unplayed"]

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
        # A window that a package opens finds the page it was opened by.
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin-allow-popups"
    return response


def _package(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> dict[str, Any]:
    found = parts_context(request, version, attempt)
    key = attempt.pk if attempt else None
    return {
        "launch": launches.address_of(request, attempt=key, version=version.pk, sco=found["part"]),
        "origin": launches.frame_origin(request, key, version.pk),
        **found,
    }


def parts_context(request: HttpRequest, version: ModuleVersion, attempt: Attempt | None) -> dict[str, Any]:
    """The parts of a package, the one on the stage and the one after it, and those that were failed.

    Where none is asked for it is the first that is open and not done; one that is closed is not put on the stage.
    """
    parts = runtime.parts_of(version, attempt)
    waiting = [part.number for part in parts if part.is_open and not part.is_done]
    asked = whole_number(request.GET.get("part", ""))
    here = parts[min(asked, len(parts) - 1)] if asked is not None else None
    if here is None or not here.is_open:
        here = parts[waiting[0] if waiting else 0]
    return {
        "parts": parts if len(parts) > 1 else [],
        "part": here.number,
        "next_part": next(
            (n for n in waiting if n > here.number), next((n for n in waiting if n != here.number), None)
        ),
        "failed": [part for part in parts if part.failed],
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
