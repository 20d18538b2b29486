"""A lesson on the stage: section by section, or all that is open below each other."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from django.http import HttpRequest
from django.template.loader import render_to_string
from django.urls import reverse

from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.journal.actions import Actor
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.players import Player, Stage
from stepladder.writing.asking import show_question
from stepladder.writing.content import media_of
from stepladder.writing.reading import Reading, read_lesson_report, reading_of, report_lesson
from stepladder.writing.rendering import Drawing, DrawnBlock, sources_of

__all__ = ["LessonPlayer", "StagedSection", "stage_of"]


@dataclass(frozen=True)
class StagedSection:
    """A section on the stage; *blocks* is empty of one that is only named beside it."""

    number: int
    key: str
    title: str
    is_done: bool
    is_open: bool
    is_shown: bool
    blocks: list[DrawnBlock]


def stage_of(request: HttpRequest, reading: Reading, drawing: Drawing, at: int) -> dict[str, Any]:
    """What the template of a lesson is told: the sections, those that stand on the stage with their blocks."""
    content, options = reading.content, reading.content.options
    shown = _shown(reading, at)
    sections = [
        StagedSection(
            number,
            section.key,
            section.title,
            section.key in reading.done,
            section.key in reading.open,
            section.key in shown,
            drawing.blocks(section.tree) if section.key in shown else [],
        )
        for number, section in enumerate(content.sections, 1)
    ]
    current = next(section for section in sections if section.is_shown)
    after = next((s for s in sections if s.number > current.number), None) if options.has_next else None
    return {
        "sections": sections,
        "options": options,
        "current": current,
        "next_section": after,
        "cover": drawing.picture(options.cover) if options.cover and options.cover["file"] else None,
    }


def _shown(reading: Reading, at: int) -> list[str]:
    """With a button to the next section one at a time, the one asked for if it is open; else all that are open."""
    if not reading.content.options.has_next:
        return reading.open
    asked = reading.content.sections[min(max(at, 1), len(reading.content.sections)) - 1].key
    if asked in reading.open:
        return [asked]
    return [next((key for key in reading.open if key not in reading.done), reading.open[0])]


class LessonPlayer(Player):
    """Sections count once they were in view and their checks are answered."""

    def stage(
        self, request: HttpRequest, version: ModuleVersion, enrolment: Enrolment | None, attempt: Attempt | None
    ) -> Stage:
        reading = reading_of(version, attempt.data if attempt else None)
        if attempt is None:
            # A trial keeps nothing, so it is not held up either.
            reading = Reading(reading.content, [], [section.key for section in reading.content.sections], {})
        hosts = organisation().page_hosts
        drawing = Drawing(
            account_of(request).pk,
            media_of(reading.content.trees),
            hosts,
            whose=f"attempt-{attempt.pk}" if attempt else f"version-{version.pk}",
            kept=reading.kept,
        )
        context = stage_of(request, reading, drawing, _asked_section(request, attempt))
        context["try_url"] = "" if attempt else reverse("writing:try_answer", args=[version.public_id])
        return Stage("writing/stage.html", context, sources=sources_of(reading.content.trees, hosts))

    def report(self, attempt: Attempt, body: bytes, by: Actor) -> Attempt:
        return report_lesson(attempt=attempt, report=read_lesson_report(body), by=by)

    def share(self, attempt: Attempt) -> int:
        return int(reading_of(attempt.version, attempt.data).share * 100)

    def said(self, attempt: Attempt) -> Mapping[str, Any]:
        reading = reading_of(attempt.version, attempt.data)
        said: dict[str, Any] = {"sections": reading.done, "open": reading.open}
        check = attempt.data.get("answered")
        found = reading.content.check(check) if check else None
        if found is not None:
            raw = found[1]["attrs"]["question"]
            shown = show_question(raw, check, f"attempt-{attempt.pk}", reading.kept[check])
            said["check"] = {
                "name": check,
                "said": render_to_string("writing/blocks/check_said.html", {"shown": shown}),
            }
        return said


def _asked_section(request: HttpRequest, attempt: Attempt | None) -> int:
    asked = whole_number(request.GET.get("section", "")) or whole_number(request.GET.get("at", ""))
    return asked or (int(attempt.data.get("at", 1)) if attempt else 1)
