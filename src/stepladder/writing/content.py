"""What a lesson says, be it the draft or a version: its sections and options as the core reads them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from stepladder.core.lessons import Media, Options, Part, checks_in, media_in, read_options
from stepladder.core.lessons.findings import CheckedSection
from stepladder.core.lessons.outline import blocks_in
from stepladder.library import storage
from stepladder.library.models import ModuleVersion
from stepladder.writing.beside import versions_named
from stepladder.writing.models import Lesson, LessonVersion, Section

__all__ = [
    "Content",
    "ReadSection",
    "content_of_draft",
    "content_of_version",
    "live_sections",
    "media_of",
    "seconds_of",
]


@dataclass(frozen=True)
class ReadSection:
    """A section as it is read."""

    key: str
    title: str
    tree: Mapping[str, Any]
    hidden_until: str = ""

    def kept(self) -> dict[str, Any]:
        return {"key": self.key, "title": self.title, "tree": self.tree, "hidden_until": self.hidden_until}

    @property
    def part(self) -> Part:
        """As it counts."""
        blocks = tuple(block["attrs"]["id"] for block in blocks_in(self.tree))
        checks = tuple(block["attrs"]["id"] for block in checks_in(self.tree))
        return Part(self.key, blocks, checks, self.hidden_until)

    @property
    def checked(self) -> CheckedSection:
        return CheckedSection(self.key, self.title, self.tree)


@dataclass(frozen=True)
class Content:
    """A lesson: its sections in their order, and how it is read."""

    sections: Sequence[ReadSection]
    options: Options

    @property
    def parts(self) -> list[Part]:
        return [section.part for section in self.sections]

    @property
    def trees(self) -> list[Mapping[str, Any]]:
        return [section.tree for section in self.sections]

    def check(self, name: str) -> tuple[ReadSection, Mapping[str, Any]] | None:
        """A check by its name, with the section that it is in."""
        for section in self.sections:
            for block in checks_in(section.tree):
                if block["attrs"]["id"] == name:
                    return section, block
        return None


def live_sections(lesson: Lesson) -> list[Section]:
    """The sections of a draft in their order, without those that were taken out."""
    return list(lesson.sections.filter(removed_at=None).select_related("taken_by").order_by("place", "pk"))


def content_of_draft(lesson: Lesson, sections: Iterable[Section] | None = None) -> Content:
    """A lesson as it is being written."""
    live = live_sections(lesson) if sections is None else sections
    return Content(
        [ReadSection(one.public_id, one.title, one.tree, one.hidden_until) for one in live],
        read_options(lesson.options),
    )


def content_of_version(version: ModuleVersion) -> Content:
    """A lesson as it was released."""
    found = LessonVersion.objects.get(version=version)
    return Content([ReadSection(**said) for said in found.sections], read_options(found.options))


def media_of(trees: Iterable[Mapping[str, Any]]) -> dict[str, ModuleVersion]:
    """The versions that trees name, those of modules that were deleted left out, by their public ids: one query."""
    return versions_named(name for tree in trees for name in media_in(tree))


def seconds_of(media: Mapping[str, ModuleVersion]) -> dict[str, float]:
    """How long what is played takes."""
    return {name: float(version.data.get("seconds", 0)) for name, version in media.items()}


def facts_of(media: Mapping[str, ModuleVersion]) -> dict[str, Media]:
    """What is asked of media before a lesson is released."""
    return {
        name: Media(
            version.module.title,
            float(version.data.get("seconds", 0)),
            version.module.kind == "video",
            storage.has_derived(version, "captions.vtt"),
        )
        for name, version in media.items()
    }
