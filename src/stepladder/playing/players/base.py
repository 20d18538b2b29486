"""What every player answers."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.strips import Strip
from stepladder.refusals import Refusal

__all__ = ["GonePlayer", "NothingReported", "Player", "Stage", "render_stage"]


class NothingReported(Refusal):
    """A report of a kind of which nothing is reported, or not that way."""

    def __init__(self) -> None:
        super().__init__("Nothing is reported of a step of this kind.")


@dataclass(frozen=True)
class Stage:
    """What stands on the stage: a template with its context, and the one other origin that it may frame (none: empty).

    *sources*: more that this page's policy names, by its directives; a lesson shows pages and plays films of other sites.
    """

    template: str
    context: Mapping[str, Any] = field(default_factory=dict)
    origin: str = ""
    sources: Mapping[str, Sequence[str]] = field(default_factory=dict)


class Player:
    """How a kind of module is played. What a player has no need of is answered here."""

    # Opening the step begins an attempt at it; else it is only looked at, and done elsewhere.
    begins_attempt = True

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        """What is shown. Without an enrolment it is a trial: of nobody, and nothing is kept."""
        raise NotImplementedError

    def open(self, attempt: Attempt, by: Actor) -> None:
        """Its page is opened."""

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        """Take over what its page sent; the attempt after that. Raises Unreadable, NothingReported, a refusal of its own."""
        raise NothingReported

    def share(self, attempt: Attempt) -> int:
        """How far one is in it, in per cent rounded down."""
        return 0

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        """What a page is told after its report beside its share, by which it says what counts."""
        return {}

    def strip(self, version: ModuleVersion, attempt: Attempt | None) -> Strip | None:
        """What was really watched or shown, as the strip under the stage draws it; None for a kind of which nobody can say."""
        return None

    def news(self, request: HttpRequest, attempt: Attempt) -> Mapping[str, Any]:
        """What changes on the stage itself while one learns, for the template of news."""
        return {}

    def try_again(self, attempt: Attempt, by: Actor) -> bool:
        """Begin anew what was failed; False where nothing was."""
        return False


class GonePlayer(Player):
    """For a kind whose app is not installed any more."""

    begins_attempt = False

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        return Stage("playing/gone.html")


def render_stage(request: HttpRequest, template: str, context: Mapping[str, Any], stage: Stage) -> HttpResponse:
    """The page with a stage on it, which may frame the stage's origin and no other."""
    response = render(request, template, {**context, "player": stage.template, **stage.context})
    named = {directive: list(origins) for directive, origins in stage.sources.items() if origins}
    if stage.origin:
        named["frame-src"] = [*named.get("frame-src", ()), stage.origin]
    if named:
        response._csp_update = named  # type: ignore[attr-defined]
    if stage.origin:
        # A window that a package opens finds the page it was opened by.
        response.headers["Cross-Origin-Opener-Policy"] = "same-origin-allow-popups"
    return response
