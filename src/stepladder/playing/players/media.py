"""Film, sound and documents, played in the page itself: what is really played or shown counts. Rule: 8."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from django.http import HttpRequest

from stepladder.core.coverage import share
from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library import storage
from stepladder.library.models import ModuleVersion
from stepladder.playing import actions, media
from stepladder.playing.players.base import Player, Stage
from stepladder.playing.reading import read_report

__all__ = ["FilmPlayer", "PagesPlayer"]


class _MediaPlayer(Player):
    template = ""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        return Stage(self.template, self._sources(request, version))

    def _sources(self, request: HttpRequest, version: ModuleVersion) -> dict[str, Any]:
        account = request.user.pk
        assert account is not None
        sources: dict[str, Any] = {"source": media.media_url(version.pk, account)}
        if (storage.derived_folder(version) / "captions.vtt").exists():
            sources["captions"] = media.media_url(version.pk, account, "captions")
        return sources

    def open(self, attempt: Attempt, by: Actor) -> None:
        actions.open_player(attempt=attempt, by=by)


class FilmPlayer(_MediaPlayer):
    """Film and sound."""

    template = "playing/film.html"

    def _sources(self, request: HttpRequest, version: ModuleVersion) -> dict[str, Any]:
        sources = super()._sources(request, version)
        if (storage.derived_folder(version) / "still.jpg").exists():
            assert request.user.pk is not None
            sources["still"] = media.media_url(version.pk, request.user.pk, "still")
        return sources

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        sent = read_report(body)
        return actions.report_played(attempt=attempt, played=sent.pairs, at=sent.at, seconds=sent.seconds, by=by)

    def share(self, attempt: Attempt) -> int:
        return int(share(actions.played_of(attempt), attempt.version.data["seconds"]) * 100)


class PagesPlayer(_MediaPlayer):
    """A document that one scrolls through, page after page."""

    template = "playing/pages.html"

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        sent = read_report(body)
        shown = [(int(page), length) for page, length in sent.pairs]
        return actions.report_pages(attempt=attempt, shown=shown, at=int(sent.at), seconds=sent.seconds, by=by)

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        shown = super().stage(request, version, enrolment, attempt)
        counted = ",".join(map(str, attempt.data.get("pages", []))) if attempt else ""
        return replace(shown, context={**shown.context, "counted": counted})

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        return {"pages": attempt.data.get("pages", [])}

    def share(self, attempt: Attempt) -> int:
        shown, pages = len(attempt.data.get("pages", [])), int(attempt.version.data["pages"])
        return shown * 100 // max(pages, 1)
