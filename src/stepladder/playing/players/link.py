"""A link: opened from the player, in a frame where its site is known to allow it, else in a window of its own."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any
from urllib.parse import urlsplit

from django.http import HttpRequest

from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library import storage
from stepladder.library.kinds.link import host_of
from stepladder.library.models import ModuleVersion
from stepladder.playing import linked, media
from stepladder.playing.players.base import Player, Stage
from stepladder.playing.reading import Unreadable

__all__ = ["LinkPlayer"]

MOST_BYTES = 1000


class LinkPlayer(Player):
    """What is done with a link is what its learner says of it: that it was opened, that it was done."""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        url = str(version.data["url"])
        origin = ""
        if version.data.get("may_be_framed"):
            parts = urlsplit(url)
            origin = f"{parts.scheme}://{parts.netloc}"
        assert request.user.pk is not None
        has_still = storage.has_derived(version, "still.jpg")
        context = {
            "still": media.media_url(version.pk, request.user.pk, "still") if has_still else "",
            "url": url,
            "host": host_of(version.data),
            "is_framed": bool(origin),
            "done_when": version.data.get("done_when", "opened"),
            "link": linked.state_of(attempt),
        }
        return Stage("playing/link.html", context, origin)

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        try:
            did = json.loads(body[:MOST_BYTES])["did"]
        except (ValueError, KeyError, TypeError) as error:
            raise Unreadable("it does not say what was done") from error
        if did not in ("opened", "said"):
            raise Unreadable("of a link “opened” or “said” is reported")
        return linked.report_link(attempt=attempt, did=did, by=by)

    def share(self, attempt: Attempt) -> int:
        return 100 if attempt.status == "completed" else 0

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        return {"link": linked.state_of(attempt)}
