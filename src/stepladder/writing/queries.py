"""What the pages of a lesson that is being written show."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.differences import differences
from stepladder.core.lessons import Finding, key_terms, minutes_to_read, text_of
from stepladder.core.lessons.outline import Term
from stepladder.core.questions import read_question
from stepladder.library.models import OUT_OF_USE, Module, ModuleVersion
from stepladder.writing.content import Content, content_of_draft, live_sections, media_of, seconds_of
from stepladder.writing.models import EarlierSection, Lesson, LessonMedia, Section
from stepladder.writing.releasing import dead_links_of, findings_of

__all__ = ["Desk", "Picked", "SectionLine", "compared", "desk_of", "in_lessons", "modules_to_show"]

# So many are offered; of more one asks by words.
MOST_OFFERED = 30


@dataclass(frozen=True)
class SectionLine:
    """A section in the index."""

    section: Section
    number: int
    minutes: int
    taken_by: str


@dataclass(frozen=True)
class CheckLine:
    name: str
    text: str
    section: str


@dataclass(frozen=True)
class FoundLine:
    """A finding, with the number of the section that it is in."""

    finding: Finding
    number: int


@dataclass(frozen=True)
class Desk:
    """A lesson as its author has it before them."""

    lesson: Lesson
    content: Content
    sections: Sequence[SectionLine]
    terms: Sequence[Term]
    checks: Sequence[CheckLine]
    found: Sequence[FoundLine]
    minutes: int
    removed: Sequence[Section]

    @property
    def grave(self) -> list[FoundLine]:
        return [line for line in self.found if line.finding.is_grave]

    @property
    def worth_a_thought(self) -> list[FoundLine]:
        return [line for line in self.found if not line.finding.is_grave]


def desk_of(lesson: Lesson, account: int) -> Desk:
    """The draft with what is around it, in a number of queries that does not grow with its sections."""
    live = live_sections(lesson)
    content = content_of_draft(lesson, live)
    seconds = seconds_of(media_of(content.trees))
    numbers = {one.public_id: number for number, one in enumerate(live, 1)}
    lines = [
        SectionLine(
            one,
            numbers[one.public_id],
            minutes_to_read([one.tree], seconds),
            one.taken_by.name if one.taken_by and one.is_taken_from(account) else "",
        )
        for one in live
    ]
    checks = [
        CheckLine(block["attrs"]["id"], _asked(block), section.key)
        for section in content.sections
        for block in section.tree["content"]
        if block["type"] == "check"
    ]
    return Desk(
        lesson,
        content,
        lines,
        key_terms(content.trees),
        checks,
        [
            FoundLine(finding, numbers[finding.section])
            for finding in (*findings_of(content), *dead_links_of(content, lesson.links))
        ],
        minutes_to_read(content.trees, seconds),
        list(lesson.sections.exclude(removed_at=None).defer("tree").order_by("-removed_at")[:20]),
    )


def _asked(block: Any) -> str:
    raw = block["attrs"]["question"]
    return (read_question(raw).text if raw else "") or "a check that asks nothing yet"


@dataclass(frozen=True)
class Picked:
    """A module that may be shown in a lesson, by the version that it has now."""

    title: str
    binder: str
    version: str


def modules_to_show(account: Account, kind: str, words: str) -> list[Picked]:
    """Films, sound or documents that the account may use, those first whose title has the words; the newest version of each."""
    shown = policy.visible(account, "use modules", Module.objects.filter(kind=kind)).exclude(state__in=OUT_OF_USE)
    for word in words.split()[:6]:
        shown = shown.filter(Q(title__icontains=word) | Q(binder__name__icontains=word))
    rows = list(shown.select_related("binder").order_by("title", "pk")[:MOST_OFFERED])
    newest: dict[int, ModuleVersion] = {}
    for version in ModuleVersion.objects.filter(module__in=rows).order_by("number"):
        newest[version.module_id] = version
    return [Picked(row.title, row.binder.name, newest[row.pk].public_id) for row in rows if row.pk in newest]


def compared(state: EarlierSection, section: Section) -> dict[str, Any]:
    """The words of an earlier state beside what the section says now."""
    old, new = (f"{one.title}\n{text_of(one.tree)}" for one in (state, section))
    pieces = differences(old, new)
    return {
        "old_words": old,
        "new_words": new,
        "pieces": pieces,
        "is_same": all(piece.kind == "same" for piece in pieces),
    }


def in_lessons() -> Q:
    """Of modules: those that a released lesson shows."""
    return Q(pk__in=LessonMedia.objects.values("version__module"))
