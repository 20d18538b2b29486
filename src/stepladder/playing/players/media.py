"""Film and sound, played in the page itself: what is really played counts. Rule: 8."""

from __future__ import annotations

from collections.abc import Mapping
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
from stepladder.playing.strips import Strip, strip_of_media

__all__ = ["FilmPlayer"]


class FilmPlayer(Player):
    """Film and sound; *verb* is what one has done with it."""

    def __init__(self, verb: str) -> None:
        self.verb = verb

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        account = request.user.pk
        assert account is not None
        folder = storage.derived_folder(version)
        indexed = str(version.data.get("indexed", ""))
        sources: dict[str, Any] = {
            "source": media.media_url(version.pk, account, indexed or "original"),
            "verb": self.verb,
            "seconds": version.data["seconds"],
            "strip": self.strip(version, attempt),
        }
        for what, name in (("captions", "captions.vtt"), ("still", "still.jpg")):
            if (folder / name).exists():
                sources[what] = media.media_url(version.pk, account, what)
        return Stage("playing/film.html", sources)

    def open(self, attempt: Attempt, by: Actor) -> None:
        actions.open_player(attempt=attempt, by=by)

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        return actions.report_played(attempt=attempt, report=read_report(body), by=by)

    def share(self, attempt: Attempt) -> int:
        return int(share(actions.played_of(attempt), attempt.version.data["seconds"]) * 100)

    def strip(self, version: ModuleVersion, attempt: Attempt | None) -> Strip:
        played = actions.played_of(attempt) if attempt else []
        return strip_of_media(played, float(version.data["seconds"]), verb=self.verb)

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        strip = self.strip(attempt.version, attempt)
        return {"strip": strip.marks, "words": strip.words, "missing": strip.missing}
