"""What a draft is changed by, whichever act does it: earlier states are kept, and the lesson knows that it changed.

Called within the transactions of acts that have asked whether they may.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import Any

from stepladder import clock
from stepladder.identity import new_public_id
from stepladder.web.sheets import TOUCHED, touch
from stepladder.writing.models import EarlierSection, Lesson, Section

__all__ = ["keep_earlier", "lay_out", "mark_changed"]

# What one writes in one go is one state to come back to, however often it saved itself.
ONE_GO = timedelta(minutes=10)
# So many earlier states a section keeps.
MOST_EARLIER = 200


def mark_changed(lesson: Lesson, by_name: str) -> None:
    """The draft is another than what was released, and was changed just now."""
    touch(lesson, revision=None, by_name=by_name)
    lesson.has_changes = True
    lesson.save(update_fields=[*TOUCHED, "has_changes"])


def keep_earlier(section: Section, by_name: str, *, is_overwritten: bool) -> None:
    """Keep what a section was, once for all that one person writes in one go, and whenever somebody's words are overwritten."""
    goes_on = section.changed_by == by_name and not is_overwritten
    if goes_on and section.earlier.filter(kept_at__gt=clock.now() - ONE_GO).exists():
        return
    if not section.title and not any(block.get("content") for block in section.tree["content"]):
        return
    EarlierSection.objects.create(
        section=section,
        title=section.title,
        tree=section.tree,
        changed_at=section.changed_at,
        changed_by=section.changed_by,
        kept_at=clock.now(),
    )
    kept = section.earlier.values_list("pk", flat=True)[MOST_EARLIER:]
    EarlierSection.objects.filter(pk__in=list(kept)).delete()


def lay_out(lesson: Lesson, sections: Sequence[Mapping[str, Any]], options: Mapping[str, Any], by_name: str) -> None:
    """Make a draft what a version says; what it was is kept, and what is in no version is taken out."""
    known = {section.public_id: section for section in lesson.sections.all()}
    now = clock.now()
    for place, said in enumerate(sections):
        section = known.pop(said["key"], None)
        values = {"place": place, "title": said["title"], "tree": said["tree"], "hidden_until": said["hidden_until"]}
        if section is None:
            Section.objects.create(
                lesson=lesson, public_id=_free_key(said["key"]), changed_at=now, changed_by=by_name, **values
            )
            continue
        keep_earlier(section, by_name, is_overwritten=True)
        touch(section, revision=None, by_name=by_name)
        for name, value in values.items():
            setattr(section, name, value)
        section.removed_at = None
        section.save(update_fields=[*TOUCHED, *values, "removed_at"])
    Section.objects.filter(pk__in=[section.pk for section in known.values()], removed_at=None).update(removed_at=now)
    lesson.options = dict(options)
    lesson.save(update_fields=["options"])
    mark_changed(lesson, by_name)


def _free_key(key: str) -> str:
    """The name of a section, as learners' progress knows it; another one in a copy of its lesson."""
    return new_public_id() if Section.objects.filter(public_id=key).exists() else key
