"""Sources, and what each look found in them."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder.identity import new_public_id
from stepladder.library.models import Binder, Module, Rights, Upload
from stepladder.topics.models import Topic
from stepladder.web.models import Sheet


class Source(Sheet):
    """A folder that is watched, or a list of links: what appears in it becomes modules of a binder."""

    class Kind(models.TextChoices):
        FOLDER = "folder", "a folder with files"
        LINKS = "links", "a list of links"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=120, unique=True)
    kind = models.CharField(max_length=6, choices=Kind.choices, default=Kind.FOLDER)
    # Below a folder that this installation may read (settings.SOURCE_ROOTS); of a list also an address.
    place = models.CharField(max_length=2000)
    # A table beside the files with their details.
    sheet = models.CharField(max_length=200, blank=True)
    # Who may use and see what comes is said by the binder; what it brings is its account's work.
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="sources")
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    is_on = models.BooleanField(default=True)
    # The digest of its own picture (library.own_pictures); empty: one drawn from its name.
    picture = models.CharField(max_length=64, blank=True)

    # For what nobody says otherwise.
    language = models.CharField(max_length=12, blank=True)
    rights = models.CharField(max_length=7, choices=Rights.choices, default=Rights.KEEP)
    tags = models.CharField(max_length=200, blank=True)
    topics = models.ManyToManyField(Topic, blank=True, related_name="sources")

    # A look that was asked for and has not ended; when the last one ended; why it could not; what is wrong in it.
    asked_at = models.DateTimeField(null=True, blank=True)
    looked_at = models.DateTimeField(null=True, blank=True)
    trouble = models.CharField(max_length=400, blank=True)
    problems = models.JSONField(default=list)
    # Of the sheet that was read last: its size and time; so it is read only where it changed.
    sheet_seen = models.CharField(max_length=60, blank=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class SourceItem(models.Model):
    """A file of a source, by its path, or a link of one, by its address; and the module that it became."""

    source = models.ForeignKey(Source, on_delete=models.CASCADE, related_name="items")
    path = models.CharField(max_length=2000)
    digest = models.CharField(max_length=64)
    size = models.BigIntegerField(default=0)
    # In nanoseconds: while neither it nor the size changed the file is not read again.
    modified = models.BigIntegerField(default=0)
    module = models.ForeignKey(Module, on_delete=models.SET_NULL, null=True, blank=True, related_name="source_items")
    # While its file is being worked out.
    upload = models.ForeignKey(Upload, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    # Details as the file itself, and as the sheet beside it, says them.
    said = models.JSONField(default=dict)
    beside = models.JSONField(default=dict)
    trouble = models.CharField(max_length=400, blank=True)
    # When its digest was last new: what is new and changed is shown for a while.
    changed_at = models.DateTimeField()
    is_new = models.BooleanField(default=True)
    gone_since = models.DateTimeField(null=True, blank=True)
    is_missing = models.BooleanField(default=False)

    class Meta:
        ordering = ("path",)
        constraints = (
            models.UniqueConstraint(
                fields=["source", "path"], condition=models.Q(is_missing=False), name="source_path_once"
            ),
        )

    def __str__(self) -> str:
        return self.path
