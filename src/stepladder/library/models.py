"""Binders, files, modules and their versions, uploads."""

from __future__ import annotations

from datetime import timedelta

from django.conf import settings
from django.db import models

from stepladder import clock
from stepladder.identity import new_public_id
from stepladder.queue.models import MadeFile
from stepladder.topics.models import Topic
from stepladder.web.models import Sheet


class Binder(Sheet):
    """A top-level container of the library: its owner and co-editors change what is in it; others may use it."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=120, unique=True)
    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="binders")
    co_editors = models.ManyToManyField(settings.AUTH_USER_MODEL, blank=True, related_name="co_edited_binders")
    # Whether others than its editors may use what is in it; and who of them, as a stored reach (None: every author).
    is_shared = models.BooleanField(default=True)
    used_by = models.JSONField(null=True, blank=True)
    # Whether others than those who use it see its modules (their sheets, and that they are there); who of them.
    is_open = models.BooleanField(default=False)
    seen_by = models.JSONField(null=True, blank=True)
    # For the files of all that is in it, in MB; None: as much as the disk has.
    quota_mb = models.PositiveIntegerField(null=True, blank=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Folder(models.Model):
    """A place in a binder, or in another folder of it. Two beside each other have different names."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="folders")
    parent = models.ForeignKey("self", on_delete=models.PROTECT, null=True, blank=True, related_name="folders")
    name = models.CharField(max_length=120)

    class Meta:
        ordering = ("name",)
        constraints = (
            models.UniqueConstraint(
                fields=["binder", "name"], condition=models.Q(parent__isnull=True), name="folder_name_once_in_a_binder"
            ),
            models.UniqueConstraint(
                fields=["parent", "name"], condition=models.Q(parent__isnull=False), name="folder_name_once_in_a_folder"
            ),
        )

    def __str__(self) -> str:
        return self.name


class StoredFile(models.Model):
    """An uploaded original, kept once by its content."""

    sha256 = models.CharField(max_length=64, unique=True)
    size = models.BigIntegerField()
    content_type = models.CharField(max_length=80)

    def __str__(self) -> str:
        return self.sha256[:12]

    @property
    def path(self) -> str:
        """Where it is, below the media folder."""
        return f"originals/{self.sha256[:2]}/{self.sha256}"


class Tag(models.Model):
    """A word by which modules are found."""

    name = models.CharField(max_length=40, unique=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Rights(models.TextChoices):
    """What may be done with a module, from the most to the least: learners play it and keep its file; they play it; only editors of its
    binder put it into courses."""

    KEEP = "keep", "play and keep"
    PLAY = "play", "play only"
    EDITORS = "editors", "editors only"


class ModuleState(models.TextChoices):
    DRAFT = "draft", "draft"
    RELEASED = "released", "released"
    WITHDRAWN = "withdrawn", "withdrawn"
    # Rests for REST and can be fetched back; then it is gone for good.
    DELETED = "deleted", "deleted"


REST = timedelta(days=30)
# What lists and the search leave out unless they are asked for it.
OUT_OF_USE = (ModuleState.WITHDRAWN, ModuleState.DELETED)


class Module(Sheet):
    """A reusable, versioned unit of teaching. Its kind is one of library.kinds."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="modules")
    # None: at the top of the binder.
    folder = models.ForeignKey(Folder, on_delete=models.PROTECT, null=True, blank=True, related_name="modules")
    kind = models.CharField(max_length=20)
    title = models.CharField(max_length=200)
    description = models.TextField(blank=True)
    minutes = models.PositiveIntegerField(default=0)
    # A code of IETF BCP 47 ("en", "pt-br"); empty: not said.
    language = models.CharField(max_length=12, blank=True)
    rights = models.CharField(max_length=7, choices=Rights.choices, default=Rights.KEEP)
    topics = models.ManyToManyField(Topic, blank=True, related_name="modules")
    tags = models.ManyToManyField(Tag, blank=True, related_name="modules")
    # The digest of its own picture (library.own_pictures); empty: a still of its content, or one drawn from its title.
    picture = models.CharField(max_length=64, blank=True)
    # Which of its details were edited here: what a source says of them leaves them alone. Rule: 18.
    edited = models.JSONField(default=list)
    state = models.CharField(max_length=10, choices=ModuleState.choices, default=ModuleState.RELEASED)
    deleted_at = models.DateTimeField(null=True, blank=True)
    # When its newest version was made: by it lists are ordered and asked.
    newest_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ("title",)
        # Lists begin at the first title: without these all of a binder is read and sorted for a page of it.
        indexes = (
            models.Index(fields=["title", "id"], name="module_by_title"),
            models.Index(fields=["binder", "title", "id"], name="module_by_title_in_binder"),
            models.Index(fields=["binder", "folder", "state"], name="module_by_place"),
            models.Index(fields=["language"], condition=~models.Q(language=""), name="module_by_language"),
        )

    def __str__(self) -> str:
        return self.title


class ModuleMark(models.Model):
    """That somebody marked a module to find it again. Nobody else sees it."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    module = models.ForeignKey(Module, on_delete=models.CASCADE, related_name="marks")
    made_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["account", "module"], name="marked_once_by_each"),)

    def __str__(self) -> str:
        return f"{self.account_id} marked {self.module_id}"


class KeptSearch(models.Model):
    """A search of the library that somebody keeps in their index: what it asks, as an address says it."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    name = models.CharField(max_length=60)
    query = models.CharField(max_length=2000)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["account", "name"], name="kept_search_name_once"),)

    def __str__(self) -> str:
        return self.name


class ModuleVersion(models.Model):
    """A version of a module: the file it was made of and what was worked out from it (pages, seconds, scos …)."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="versions")
    number = models.PositiveIntegerField()
    original = models.ForeignKey(StoredFile, on_delete=models.PROTECT, null=True, related_name="versions")
    file_name = models.TextField(blank=True)
    data = models.JSONField(default=dict)
    minutes = models.PositiveIntegerField(default=0)
    made_at = models.DateTimeField()
    made_by = models.CharField(max_length=200)
    # What is new in it, by whoever made it.
    note = models.CharField(max_length=300, blank=True)
    # By which state of the parsers its pictures and words were derived; older ones are derived anew (library.deriving).
    derived_by = models.PositiveSmallIntegerField(default=0)

    class Meta:
        constraints = (models.UniqueConstraint(fields=["module", "number"], name="version_number_once"),)
        ordering = ("-number",)

    def __str__(self) -> str:
        return f"{self.module_id} v{self.number}"


class Derived(models.Model):
    """What was derived of a version and may be dropped for room (library.derived_room): its bytes, and when somebody last opened it."""

    version = models.OneToOneField(ModuleVersion, on_delete=models.CASCADE, related_name="derived")
    size = models.BigIntegerField(default=0)
    used_on = models.DateField()
    is_dropped = models.BooleanField(default=False)
    # It is asked for anew; and why it could not be made.
    asked_at = models.DateTimeField(null=True, blank=True)
    trouble = models.CharField(max_length=400, blank=True)

    class Meta:
        indexes = (models.Index(fields=["is_dropped", "used_on"], name="derived_by_use"),)

    def __str__(self) -> str:
        return f"{self.version_id}: {self.size} bytes"


class LinkLook(models.Model):
    """What came when a link was last asked: nothing wrong, or what, and since when."""

    version = models.OneToOneField(ModuleVersion, on_delete=models.CASCADE, related_name="look")
    looked_at = models.DateTimeField()
    trouble = models.CharField(max_length=300, blank=True)
    dead_since = models.DateTimeField(null=True, blank=True)

    def __str__(self) -> str:
        return f"{self.version_id} on {self.looked_at:%Y-%m-%d}"


class Passage(models.Model):
    """Words of a version with their place: a page (from 1), or a second of film and sound. Derived; made anew with the rest."""

    version = models.ForeignKey(ModuleVersion, on_delete=models.CASCADE, related_name="passages")
    place = models.FloatField()
    title = models.CharField(max_length=200, blank=True)
    text = models.TextField()

    class Meta:
        ordering = ("place", "pk")

    def __str__(self) -> str:
        return f"{self.version_id} at {self.place:g}"


class PackageFile(models.Model):
    """A file of an unpacked package, looked up by its path; on disk it has a number for a name."""

    version = models.ForeignKey(ModuleVersion, on_delete=models.CASCADE, related_name="package_files")
    path = models.TextField()
    stored = models.CharField(max_length=60)
    size = models.BigIntegerField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["version", "path"], name="package_path_once"),)

    def __str__(self) -> str:
        return self.path


class DetailTable(models.Model):
    """A table of details that was brought in: what it would change, and whether that was done. Nothing changes before somebody says so."""

    class State(models.TextChoices):
        LOOKING = "looking", "being looked through"
        LOOKED = "looked", "looked through, nothing changed yet"
        CHANGING = "changing", "being carried out"
        DONE = "done", "carried out"
        RETURNING = "returning", "being taken back"
        RETURNED = "returned", "taken back"
        REFUSED = "refused", "cannot be read"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    file_name = models.CharField(max_length=200)
    made_at = models.DateTimeField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.LOOKING)
    # [head, the detail that it is, or ""] of each column.
    columns = models.JSONField(default=list)
    # Of each row that changes something: {"module", "title", "row", "values": {detail: value}, "words": [[heading, before, after]]}.
    changes = models.JSONField(default=list)
    # [row in the file, what is wrong]
    problems = models.JSONField(default=list)
    total = models.PositiveIntegerField(default=0)
    done = models.PositiveIntegerField(default=0)
    # The numbers of the entries that carried it out, for the way back.
    acts = models.JSONField(default=list)
    trouble = models.CharField(max_length=400, blank=True)

    class Meta:
        ordering = ("-made_at", "-pk")

    def __str__(self) -> str:
        return self.file_name

    @property
    def path(self) -> str:
        """Where the file lies, below the media folder."""
        return f"incoming/table-{self.public_id}"


# What is done goes out of sight by itself: at once almost, or, where something was said of it, a day later.
DONE_SHOWN = timedelta(minutes=5)
SAID_SHOWN = timedelta(days=1)

# Whoever works a file out says so again and again; who has not said so for so long has stopped.
HALTED = timedelta(minutes=10)


class TakenOut(MadeFile):
    """A version that is made into another form by the queue, for whoever asked for it to fetch. Its file goes after a while."""

    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    version = models.ForeignKey(ModuleVersion, on_delete=models.CASCADE, related_name="taken_out")
    # The name of a library.kinds.Export.
    form = models.CharField(max_length=30)
    file_name = models.CharField(max_length=120, blank=True)
    left_out = models.JSONField(default=list)
    beat_at = models.DateTimeField(default=clock.now)

    def __str__(self) -> str:
        return f"{self.version_id} as {self.form}"


class Upload(models.Model):
    """A file on its way: received in parts, then worked out by the queue. It says how far it is, and what went wrong."""

    class State(models.TextChoices):
        RECEIVING = "receiving", "uploading"
        WAITING = "waiting", "waiting to be worked out"
        WORKING = "working", "being worked out"
        DONE = "done", "ready"
        REFUSED = "refused", "refused"

    class Likeness(models.TextChoices):
        SAME = "same", "the very same file"
        NAME = "name", "a file of the same name"
        TITLE = "title", "a module of the same title"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="uploads")
    binder = models.ForeignKey(Binder, on_delete=models.CASCADE, related_name="uploads")
    folder = models.ForeignKey(Folder, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    replaces = models.ForeignKey(Module, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    module = models.ForeignKey(Module, on_delete=models.SET_NULL, null=True, blank=True, related_name="uploads")
    file_name = models.TextField()
    size = models.BigIntegerField()
    received = models.BigIntegerField(default=0)
    state = models.CharField(max_length=10, choices=State.choices, default=State.RECEIVING)
    message = models.TextField(blank=True)
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)
    # By the application's clock, as everything that they are held against.
    beat_at = models.DateTimeField(default=clock.now)
    created_at = models.DateTimeField(default=clock.now)
    is_dismissed = models.BooleanField(default=False)
    # Another module that is the very same file (SAME), whose newest file has the same name (NAME), or that is called so (TITLE): which
    # of them is meant?
    twin = models.ForeignKey(Module, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    likeness = models.CharField(max_length=5, choices=Likeness.choices, blank=True)
    # Refused by something unexpected: the file is still there, and can be worked out once more.
    can_try_again = models.BooleanField(default=False)

    class Meta:
        ordering = ("-created_at", "-pk")

    def __str__(self) -> str:
        return self.file_name[:80]

    @property
    def path(self) -> str:
        """Where what was received lies, below the media folder."""
        return f"incoming/{self.public_id}"

    @property
    def has_halted(self) -> bool:
        """Whether nobody has said for long that it is being worked out."""
        under_way = self.state in (self.State.WAITING, self.State.WORKING)
        return under_way and self.beat_at < clock.now() - HALTED

    @property
    def percent(self) -> int:
        """How far this state has come."""
        if self.state == self.State.RECEIVING:
            return self.received * 100 // self.size if self.size else 0
        return self.done * 100 // self.total if self.total else 0
