"""A lesson is released: what is wrong with it first, then a version of it that never changes."""

from __future__ import annotations

from collections.abc import Mapping

from django.db import transaction

from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.core.lessons import Finding, find_trouble, key_terms, links_in, minutes_to_read, text_of, words_in
from stepladder.core.lessons.outline import pictures_in
from stepladder.journal.actions import Actor
from stepladder.library.kinds import Worked
from stepladder.library.models import ModuleVersion
from stepladder.library.parsing.material import Passage
from stepladder.library.releasing import add_written, open_to_courses
from stepladder.writing.content import Content, content_of_draft, facts_of, media_of, seconds_of
from stepladder.writing.errors import NotFinished
from stepladder.writing.models import Lesson, LessonMedia, LessonVersion
from stepladder.writing.palette import unreadable
from stepladder.writing.stills import still_of

__all__ = ["dead_links_of", "findings_of", "release_lesson"]

# So many of a lesson's key terms stand in the glossaries of its courses.
MOST_TERMS = 300


def findings_of(content: Content) -> list[Finding]:
    """What is wrong with a lesson before it is released, and what is only worth a thought."""
    facts = facts_of(media_of(content.trees))
    found = find_trouble([section.checked for section in content.sections], facts, organisation().page_hosts)
    first = content.sections[0].key
    looks = [
        Finding(f"{one.words} have a contrast of {one.ratio:g} on this paper; 4.5 is the least", first)
        for one in unreadable(content.options)
    ]
    cover = content.options.cover
    if cover and cover["file"] and not cover["shows"].strip():
        looks.append(Finding("the cover does not say what it shows", first))
    return [*looks, *found]


def dead_links_of(content: Content, links: Mapping[str, str]) -> list[Finding]:
    """Links whose servers did not answer when they were asked (*links*: address → what was said). They keep nobody from releasing."""
    return [
        Finding(f"“{url[:80]}” did not answer: {links[url]}", section.key, block, is_grave=False)
        for section in content.sections
        for block, url in links_in(section.tree)
        if links.get(url)
    ]


@transaction.atomic
def release_lesson(*, lesson: Lesson, by: Actor, note: str = "") -> ModuleVersion:
    """A new version, as the draft is now; who is half-way through an older one stays on it. Raises NotFinished."""
    module = lesson.module
    policy.require(by, "change modules", module)
    lesson.refresh_from_db(from_queryset=Lesson.objects.select_for_update())
    content = content_of_draft(lesson)
    grave = [finding for finding in findings_of(content) if finding.is_grave]
    if grave:
        raise NotFinished(grave)
    media = media_of(content.trees)
    checks = sum(len(part.checks) for part in content.parts)
    worked = Worked(
        module.title,
        minutes_to_read(content.trees, seconds_of(media)),
        {
            "sections": len(content.sections),
            "checks": checks,
            "words": sum(map(words_in, content.trees)),
            "pictures": sum(map(pictures_in, content.trees)),
            "asks_right": bool(checks) and content.options.asks_right,
            "terms": [[term.word, term.meaning] for term in key_terms(content.trees) if term.meaning][:MOST_TERMS],
        },
        module.description,
        still_of(content),
        [Passage(number, text_of(one.tree), one.title) for number, one in enumerate(content.sections, 1)],
    )
    version = add_written(module=module, worked=worked, note=note, by=by)
    said = LessonVersion.objects.create(
        version=version, options=content.options.kept(), sections=[section.kept() for section in content.sections]
    )
    LessonMedia.objects.bulk_create(LessonMedia(lesson=said, version=one) for one in media.values())
    open_to_courses(module=module, by=by)
    lesson.has_changes = False
    lesson.save(update_fields=["has_changes"])
    return version
