"""Courses, their editions and steps, and the terms they are valid by."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.accounts.models import Account
from stepladder.core.admission import Admission
from stepladder.core.sequence import Order, Part
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.library.models import Binder, Module, ModuleVersion, Tag
from stepladder.people.models import Person
from stepladder.topics.models import Topic
from stepladder.web.models import Sheet


class CourseState(models.TextChoices):
    DRAFT = "draft", "draft"
    RELEASED = "released", "released"
    WITHDRAWN = "withdrawn", "withdrawn"


class Course(models.Model):
    """Ordered steps under a title. What learners see is its released edition; changes are made on a draft edition."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="courses")
    # The released edition's title, or the draft's while there is none.
    title = models.CharField(max_length=160)
    state = models.CharField(max_length=10, choices=CourseState.choices, default=CourseState.DRAFT)
    topics = models.ManyToManyField(Topic, blank=True, related_name="courses")
    tags = models.ManyToManyField(Tag, blank=True, related_name="courses")
    # A module that is offered by itself: this course is that one step, without validity (rule 4).
    alone = models.OneToOneField(Module, on_delete=models.PROTECT, null=True, blank=True, related_name="alone")
    # The digest of its own picture (library.own_pictures); empty: one drawn from its title.
    picture = models.CharField(max_length=64, blank=True)
    prerequisites = models.ManyToManyField("self", symmetrical=False, blank=True, related_name="opens")
    satisfied_by = models.ManyToManyField("self", symmetrical=False, blank=True, related_name="satisfies")

    class Meta:
        ordering = ("title",)

    def __str__(self) -> str:
        return self.title


class OfferReach(models.Model):
    """A stored reach of whom things are offered to. Many things have the same one, so that few are evaluated for a person."""

    # Of its JSON: one row for each reach.
    digest = models.CharField(max_length=64, unique=True)
    reach = models.JSONField()

    class Meta:
        verbose_name_plural = "offer reaches"

    def __str__(self) -> str:
        return self.digest[:12]


class Offer(models.Model):
    """How a course or path is offered: who may find it, how one gets in, and what the catalogue says beside its edition.

    It is no part of an edition, and holds at once. Without a row the thing is for those alone to whom it is assigned.
    """

    class Level(models.TextChoices):
        FIRST = "first", "for a first look"
        WORKING = "working", "for who does it every day"
        EXPERT = "expert", "for who teaches it to others"

    class Early(models.TextChoices):
        YES = "yes", "may begin it before"
        NO = "no", "begins it on that day"

    course = models.OneToOneField(Course, on_delete=models.CASCADE, null=True, blank=True, related_name="offer")
    path = models.OneToOneField("Path", on_delete=models.CASCADE, null=True, blank=True, related_name="offer")
    admission = models.CharField(
        max_length=15, choices=[(a.value, a.value) for a in Admission], default=Admission.ASSIGNED_ONLY.value
    )
    # Who may find it; none: everybody.
    found_by = models.ForeignKey(OfferReach, on_delete=models.PROTECT, null=True, blank=True, related_name="offers")
    # So many days after they chose it, whoever chose it is to have done it; none: there is no day.
    wish_days = models.PositiveSmallIntegerField(null=True, blank=True)
    level = models.CharField(max_length=10, choices=Level.choices, blank=True)
    language = models.CharField(max_length=12, blank=True)
    # Of a course: whether who is still to come may begin before their first day; "": as the organisation says.
    begins_early = models.CharField(max_length=3, choices=Early.choices, blank=True)
    contact = models.ForeignKey(Person, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(course__isnull=False, path__isnull=True) | Q(course__isnull=True, path__isnull=False),
                name="offer_is_of_a_course_or_a_path",
            ),
        )

    def __str__(self) -> str:
        return f"{self.course or self.path}: {self.admission}"


class Skill(Sheet):
    """Something that one can be able to do, in levels. Courses give credits for them. Rule: 10."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=120, unique=True)
    description = models.TextField(blank=True)

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class SkillLevel(models.Model):
    """A level of a skill, from 1 up: so many credits are needed for it, and all levels below."""

    skill = models.ForeignKey(Skill, on_delete=models.CASCADE, related_name="levels")
    number = models.PositiveSmallIntegerField()
    # What one can do at it; it may be called by its number alone.
    name = models.CharField(max_length=120, blank=True)
    credits = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ("skill", "number")
        constraints = (
            models.UniqueConstraint(fields=["skill", "number"], name="skill_level_once"),
            models.CheckConstraint(condition=Q(credits__gte=1), name="a_level_needs_credits"),
        )

    def __str__(self) -> str:
        return f"{self.skill}, level {self.number}"


class Credit(models.Model):
    """What a valid completion of a course gives towards a level: never more than the level needs."""

    course = models.ForeignKey(Course, on_delete=models.CASCADE, related_name="credits")
    level = models.ForeignKey(SkillLevel, on_delete=models.CASCADE, related_name="given")
    credits = models.PositiveSmallIntegerField()

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["course", "level"], name="credits_once_of_a_course"),
            models.CheckConstraint(condition=Q(credits__gte=1), name="credits_are_some"),
        )

    def __str__(self) -> str:
        return f"{self.course_id}: {self.credits} of {self.level_id}"


class Reference(models.Model):
    """A module kept beside a course, open before, during and after: it is looked at, and never asked for."""

    course = models.ForeignKey(Course, on_delete=models.CASCADE, related_name="references")
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="references")
    place = models.PositiveIntegerField(default=0)

    class Meta:
        ordering = ("place", "pk")
        constraints = (models.UniqueConstraint(fields=["course", "module"], name="reference_once_of_a_course"),)

    def __str__(self) -> str:
        return f"{self.course_id}: {self.module_id}"


class CourseTerms(Fact):
    """From a day on, how long a completion counts, from when it may be renewed, and the grace after."""

    course = models.ForeignKey(Course, on_delete=models.PROTECT, related_name="terms")
    from_day = models.DateField()
    months = models.PositiveSmallIntegerField(default=0)
    days = models.PositiveSmallIntegerField(default=0)
    is_calendar_year = models.BooleanField(default=False)
    window_days = models.PositiveSmallIntegerField(default=0)
    grace_days = models.PositiveSmallIntegerField(default=0)

    class Meta:
        verbose_name_plural = "course terms"
        constraints = (
            models.UniqueConstraint(
                fields=["course", "from_day"], condition=Q(revoked_on__isnull=True), name="one_terms_from_a_day"
            ),
        )

    def __str__(self) -> str:
        return f"{self.course_id} from {self.from_day}"


class Edition(Sheet):
    """A draft of, or what was released as, a course: its words, orders, and what completes it."""

    class State(models.TextChoices):
        DRAFT = "draft", "draft"
        RELEASED = "released", "released"
        SUPERSEDED = "superseded", "superseded"

    course = models.ForeignKey(Course, on_delete=models.PROTECT, related_name="editions")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.DRAFT)
    title = models.CharField(max_length=160)
    summary = models.TextField(blank=True)
    # What the summary has no room for: for whom, what is in it, what to bring.
    description = models.TextField(blank=True)
    # What one can do afterwards, a sentence that goes on from "After it one can".
    outcome = models.CharField(max_length=300, blank=True)
    preparation_order = models.CharField(
        max_length=10, choices=[(o.value, o.value) for o in Order], default=Order.ANY_ORDER.value
    )
    main_order = models.CharField(
        max_length=10, choices=[(o.value, o.value) for o in Order], default=Order.IN_ORDER.value
    )
    optional_owed = models.PositiveSmallIntegerField(default=0)
    lowest_score = models.PositiveSmallIntegerField(null=True, blank=True)
    size = models.CharField(max_length=5, blank=True)
    retake_by = models.DateField(null=True, blank=True)
    released_at = models.DateTimeField(null=True, blank=True)
    released_on = models.DateField(null=True, blank=True)
    # Of a draft: the release that is to come (courses.planned.Planned), and why it did not.
    planned = models.JSONField(null=True, blank=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["course", "number"], name="edition_number_once"),
            models.UniqueConstraint(fields=["course"], condition=Q(state="draft"), name="one_draft_of_a_course"),
            models.UniqueConstraint(fields=["course"], condition=Q(state="released"), name="one_released_edition"),
            models.CheckConstraint(
                condition=Q(lowest_score__isnull=True) | Q(lowest_score__lte=100), name="lowest_score_is_a_percentage"
            ),
        )
        ordering = ("number",)

    def __str__(self) -> str:
        return f"{self.title}, edition {self.number}"


class Step(models.Model):
    """A module's place in an edition, with the version that the edition is made of."""

    edition = models.ForeignKey(Edition, on_delete=models.CASCADE, related_name="steps")
    part = models.CharField(max_length=12, choices=[(p.value, p.value) for p in Part], default=Part.MAIN.value)
    place = models.PositiveIntegerField()
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="steps")
    version = models.ForeignKey(ModuleVersion, on_delete=models.PROTECT, related_name="steps")
    is_obligatory = models.BooleanField(default=True)
    weight = models.PositiveSmallIntegerField(default=1)
    # Of the main part: whether passing the entry test does it too.
    is_spared = models.BooleanField(default=True)
    # What the module was called when the edition was released; a draft's steps say what it is called now.
    released_title = models.CharField(max_length=200, blank=True)

    class Meta:
        ordering = ("-part", "place")
        constraints = (models.UniqueConstraint(fields=["edition", "module"], name="module_once_in_an_edition"),)

    def __str__(self) -> str:
        return f"{self.edition_id}: {self.module_id}"

    @property
    def title(self) -> str:
        """What learners of this edition read: renaming a module leaves released editions alone. Rule: 6."""
        return self.released_title or self.module.title


class Path(Sheet):
    """Released courses in ordered stages. What people are asked to climb is its newest edition; this is its draft."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="paths")
    title = models.CharField(max_length=160)
    summary = models.TextField(blank=True)
    is_in_order = models.BooleanField(default=True)
    state = models.CharField(max_length=10, choices=CourseState.choices, default=CourseState.DRAFT)
    # [{"title", "outcome", "window_days": days after the start or null, "courses": [keys]}], and where there are electives also
    # "electives": [keys], "choose": how many of them.
    stages = models.JSONField(default=list)
    topics = models.ManyToManyField(Topic, blank=True, related_name="paths")
    tags = models.ManyToManyField(Tag, blank=True, related_name="paths")
    # A picture of its own (library.own_pictures); "": one is drawn.
    picture = models.CharField(max_length=64, blank=True)
    # Who built it for their own people (courses.keeping); none: a path of its binder's editors, as any.
    kept_by = models.ForeignKey(Account, on_delete=models.PROTECT, null=True, blank=True, related_name="kept_paths")
    # A copy that is to be asked, from its first release on, of whomever this path is asked.
    asked_like = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, blank=True, related_name="+")

    class Meta:
        ordering = ("title",)

    def __str__(self) -> str:
        return self.title


class Programme(models.Model):
    """Several paths for whoever is in a reach, in an order; learners have a page of it. It asks for nothing: its paths are assigned
    or taken up as any."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    binder = models.ForeignKey(Binder, on_delete=models.PROTECT, related_name="programmes")
    title = models.CharField(max_length=160)
    summary = models.TextField(blank=True)
    # [keys], in order.
    paths = models.JSONField(default=list)
    # Whom it is for; none: everybody.
    found_by = models.ForeignKey(OfferReach, on_delete=models.PROTECT, null=True, blank=True, related_name="programmes")
    is_shown = models.BooleanField(default=False)

    class Meta:
        ordering = ("title",)

    def __str__(self) -> str:
        return self.title


class PathEdition(Fact):
    """What a path asks from its release on, until the next one: a fact, so that a past day is read in its own."""

    path = models.ForeignKey(Path, on_delete=models.PROTECT, related_name="editions")
    number = models.PositiveIntegerField()
    title = models.CharField(max_length=160)
    summary = models.TextField(blank=True)
    is_in_order = models.BooleanField(default=True)
    stages = models.JSONField()

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["path"], condition=Q(revoked_on__isnull=True), name="one_known_edition_of_a_path"
            ),
        )

    def __str__(self) -> str:
        return f"{self.title}, edition {self.number}"
