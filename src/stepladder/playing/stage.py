"""What plays a module's version in a page: a package in its frame, film or sound, or a document."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.learning.models import Attempt
from stepladder.library import storage
from stepladder.library.models import ModuleVersion
from stepladder.playing import launches, media, runtime
from stepladder.playing.models import ScoState

__all__ = ["render_stage", "stage"]

PLAYERS = {"package": "package", "video": "film", "audio": "film", "document": "pages"}


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
    sco = min(int(asked) if asked.isdecimal() else 0, len(scos) - 1)
    done = set(ScoState.objects.filter(attempt=attempt, is_done=True).values_list("sco", flat=True)) if attempt else ()
    key = attempt.pk if attempt else None
    mode = runtime.mode_of(attempt) if attempt else "browse"
    parts = [(n, s["title"] or f"Part {n + 1}", n in done) for n, s in enumerate(scos)]
    return {
        "launch": launches.address_of(request, attempt=key, version=version.pk, sco=sco, mode=mode),
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
