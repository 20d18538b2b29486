"""A version of a lesson that is copied, or made the newest again: what it says goes with it, into the draft too."""

from __future__ import annotations

from stepladder.library.models import ModuleVersion
from stepladder.writing.drafts import lay_out
from stepladder.writing.models import Lesson, LessonFile, LessonMedia, LessonVersion

__all__ = ["share"]


def share(of: ModuleVersion, to: ModuleVersion) -> None:
    """*to* says what *of* says. Within the transaction of the act that made it, which has asked whether it may be."""
    said = LessonVersion.objects.get(version=of)
    made = LessonVersion.objects.create(version=to, options=said.options, sections=said.sections)
    LessonMedia.objects.bulk_create(
        LessonMedia(lesson=made, version_id=version) for version in said.media.values_list("version", flat=True)
    )
    lesson, _ = Lesson.objects.get_or_create(
        module=to.module, defaults={"changed_at": to.made_at, "changed_by": to.made_by}
    )
    if of.module_id != to.module_id:
        files = LessonFile.objects.filter(module=of.module).values_list("stored", flat=True)
        LessonFile.objects.bulk_create(
            (LessonFile(module=to.module, stored_id=stored) for stored in files), ignore_conflicts=True
        )
    lay_out(lesson, said.sections, said.options, to.made_by)
    lesson.has_changes = False
    lesson.save(update_fields=["has_changes"])
