"""Lessons as they are being written, and as they were released."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import models

from stepladder import clock
from stepladder.core.lessons import Options, empty_tree
from stepladder.identity import new_public_id
from stepladder.library.models import Module, ModuleVersion, StoredFile
from stepladder.web.models import Sheet

__all__ = ["TAKEN", "EarlierSection", "Lesson", "LessonMedia", "LessonVersion", "Section"]

# A section is its writer's until nothing happened in it for so long.
TAKEN = timedelta(minutes=5)


def _options() -> dict[str, object]:
    return Options().kept()


def _nothing_written() -> dict[str, object]:
    return empty_tree(new_public_id)


class Lesson(Sheet):
    """A module that is written here: its draft. What learners read are its versions (LessonVersion)."""

    module = models.OneToOneField(Module, on_delete=models.CASCADE, related_name="lesson")
    # core.lessons.Options
    options = models.JSONField(default=_options)
    # Whether anything changed since it was last released.
    has_changes = models.BooleanField(default=True)
    # Address → what its server said when it was asked last, "" where it answered; when all of them were; None while they are asked.
    links = models.JSONField(default=dict)
    links_asked_at = models.DateTimeField(null=True, blank=True)
    links_wanted_at = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"lesson {self.module_id}"

    @property
    def is_asking_links(self) -> bool:
        """Whether its links are being asked."""
        return self.links_wanted_at is not None and (
            self.links_asked_at is None or self.links_asked_at < self.links_wanted_at
        )


class Section(Sheet):
    """A section of a draft. It is saved by itself, so that two may write in one lesson."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    lesson = models.ForeignKey(Lesson, on_delete=models.CASCADE, related_name="sections")
    place = models.PositiveIntegerField()
    title = models.CharField(max_length=200, blank=True)
    # core.lessons.check_tree
    tree = models.JSONField(default=_nothing_written)
    # The name of a check: the section is hidden until that was passed.
    hidden_until = models.CharField(max_length=40, blank=True)
    # Taken out; it can be put back.
    removed_at = models.DateTimeField(null=True, blank=True)
    # Who writes in it, and when they last did.
    taken_by = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True, blank=True, related_name="+"
    )
    taken_at = models.DateTimeField(null=True, blank=True)
    # What the page called the change that was saved last: sent again after a lost answer, it is known.
    last_save = models.CharField(max_length=40, blank=True)

    class Meta:
        ordering = ("place", "pk")

    def __str__(self) -> str:
        return self.title or f"section {self.pk}"

    def is_taken_from(self, account: int) -> bool:
        """Whether somebody else writes in it now."""
        is_another = self.taken_by_id is not None and self.taken_by_id != account
        return is_another and self.taken_at is not None and self.taken_at > clock.now() - TAKEN


class EarlierSection(models.Model):
    """A section as it was before somebody began to change it, to be compared and fetched back."""

    section = models.ForeignKey(Section, on_delete=models.CASCADE, related_name="earlier")
    title = models.CharField(max_length=200, blank=True)
    tree = models.JSONField()
    # When it was left so, and by whom.
    changed_at = models.DateTimeField(null=True)
    changed_by = models.CharField(max_length=200, blank=True)
    kept_at = models.DateTimeField()

    class Meta:
        ordering = ("-kept_at", "-pk")

    def __str__(self) -> str:
        return f"{self.section_id} until {self.kept_at:%Y-%m-%d %H:%M}"


class LessonVersion(models.Model):
    """What a version of a lesson says: as it was released, never changed after."""

    version = models.OneToOneField(ModuleVersion, on_delete=models.CASCADE, related_name="lesson")
    options = models.JSONField(default=dict)
    # [{"key", "title", "hidden_until", "tree"}] in their order.
    sections = models.JSONField(default=list)

    def __str__(self) -> str:
        return f"lesson of version {self.version_id}"


class LessonMedia(models.Model):
    """That a released lesson plays or shows a version of a module: it is not to be deleted under it."""

    lesson = models.ForeignKey(LessonVersion, on_delete=models.CASCADE, related_name="media")
    version = models.ForeignKey(ModuleVersion, on_delete=models.PROTECT, related_name="in_lessons")

    class Meta:
        verbose_name_plural = "lesson media"
        constraints = (models.UniqueConstraint(fields=["lesson", "version"], name="lesson_shows_it_once"),)

    def __str__(self) -> str:
        return f"{self.lesson_id} shows {self.version_id}"


class LessonFile(models.Model):
    """A file that a lesson gives its readers to take along, by the digest its attachment names."""

    module = models.ForeignKey(Module, on_delete=models.CASCADE, related_name="lesson_files")
    stored = models.ForeignKey(StoredFile, on_delete=models.PROTECT, related_name="in_lessons")

    class Meta:
        constraints = (models.UniqueConstraint(fields=["module", "stored"], name="lesson_file_once"),)

    def __str__(self) -> str:
        return f"{self.module_id}: {self.stored_id}"
