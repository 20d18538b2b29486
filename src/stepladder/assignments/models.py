"""Assignments, the reasons they give, waivers; and which columns of them are the newest."""

from __future__ import annotations

from datetime import date

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from stepladder.charts.models import Unit
from stepladder.core.days import FOREVER
from stepladder.courses.models import Course, Path
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.people.models import Person


class Assignment(models.Model):
    """Whoever is in this reach takes this course, or path, by then. What it asks on a day is its rule known then.

    *parts*: the units within which a unit administrator made it; it reaches nobody outside them.
    """

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    course = models.ForeignKey(Course, on_delete=models.PROTECT, null=True, blank=True, related_name="assignments")
    path = models.ForeignKey(Path, on_delete=models.PROTECT, null=True, blank=True, related_name="assignments")
    name = models.CharField(max_length=160)
    message = models.TextField(blank=True)
    # What is said instead to whoever comes in after *begins*, the day from which it asks; empty: the same.
    later_message = models.TextField(blank=True)
    begins = models.DateField(null=True, blank=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField()
    # Whose it is: empty for those of administrators, who need no part.
    owner = models.ForeignKey(
        settings.AUTH_USER_MODEL, on_delete=models.PROTECT, null=True, blank=True, related_name="assignments"
    )
    parts = models.ManyToManyField(Unit, blank=True, related_name="assignments")

    class Meta:
        ordering = ("name",)
        constraints = (
            models.CheckConstraint(
                condition=Q(course__isnull=False, path__isnull=True) | Q(course__isnull=True, path__isnull=False),
                name="assignment_asks_for_a_course_or_a_path",
            ),
        )

    def __str__(self) -> str:
        return self.name

    @property
    def title(self) -> str:
        """What it asks for."""
        asked = self.course or self.path
        assert asked is not None, "assignment_asks_for_a_course_or_a_path"
        return asked.title

    def said_to(self, opened: date) -> str:
        """The words to somebody of whom it asks since a day."""
        is_later = self.begins is not None and opened > self.begins
        return self.later_message if is_later and self.later_message else self.message


class AssignmentRule(Fact):
    """What an assignment asks: of whom (a stored reach), from when, by when, and how firmly."""

    class Trigger(models.TextChoices):
        START = "start", "the start of the assignment"
        HIRE = "hire", "being hired"
        OPENING = "opening", "coming into the reach"
        PLACEMENT = "placement", "the placement that brings them in"
        WEEK = "week", "end of the week"
        MONTH = "month", "end of the month"
        QUARTER = "quarter", "end of the quarter"
        YEAR = "year", "end of the year"

    assignment = models.ForeignKey(Assignment, on_delete=models.PROTECT, related_name="rules")
    reach = models.JSONField()
    start = models.DateField()
    end = models.DateField(null=True, blank=True)
    is_mandatory = models.BooleanField(default=True)
    is_one_off = models.BooleanField(default=False)
    due_day = models.DateField(null=True, blank=True)
    due_trigger = models.CharField(max_length=10, choices=Trigger.choices, blank=True)
    due_months = models.PositiveSmallIntegerField(default=0)
    due_days = models.PositiveSmallIntegerField(default=0)
    notice_days = models.PositiveSmallIntegerField(default=14)
    taken_from = models.DateField(null=True, blank=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["assignment"], condition=Q(revoked_on__isnull=True), name="one_known_rule_of_an_assignment"
            ),
            models.CheckConstraint(
                condition=Q(due_day__isnull=False) | ~Q(due_trigger="") | Q(is_mandatory=False),
                name="mandatory_has_a_due_day",
            ),
        )

    def __str__(self) -> str:
        return f"{self.assignment_id} from {self.start}"


class Wish(Fact):
    """That somebody wants a course, or a path, from a day on: chosen oneself where it is open, or approved. Rule: 12.

    It suggests; nobody is late by it. *due_days* are the thing's own number of days when it was chosen; None: never due.
    """

    class How(models.TextChoices):
        SELF = "self", "your own choice"
        APPROVED = "approved", "you asked for it"

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="wishes")
    course = models.ForeignKey(Course, on_delete=models.PROTECT, null=True, blank=True, related_name="wishes")
    path = models.ForeignKey(Path, on_delete=models.PROTECT, null=True, blank=True, related_name="wishes")
    how = models.CharField(max_length=10, choices=How.choices, default=How.SELF)
    from_day = models.DateField()
    to_day = models.DateField(null=True, blank=True)
    due_days = models.PositiveSmallIntegerField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "wishes"
        constraints = (
            models.CheckConstraint(
                condition=Q(course__isnull=False, path__isnull=True) | Q(course__isnull=True, path__isnull=False),
                name="wish_is_for_a_course_or_a_path",
            ),
            models.UniqueConstraint(
                fields=["person", "course"],
                condition=Q(revoked_on__isnull=True, to_day__isnull=True, course__isnull=False),
                name="one_running_wish_for_a_course",
            ),
            models.UniqueConstraint(
                fields=["person", "path"],
                condition=Q(revoked_on__isnull=True, to_day__isnull=True, path__isnull=False),
                name="one_running_wish_for_a_path",
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} from {self.from_day}"


# A claim is an assignment's or a wish's.
BY_ONE = Q(assignment__isnull=False, wish__isnull=True) | Q(assignment__isnull=True, wish__isnull=False)


class Claim(models.Model):
    """The claim of one assignment, or of their own wish, on one person, derived from the facts; never edited.

    Present from *first* to *last*, derived from *opened*. Known on k where known_from <= k < known_to.
    """

    assignment = models.ForeignKey(Assignment, on_delete=models.CASCADE, null=True, related_name="%(class)ss")
    wish = models.ForeignKey(Wish, on_delete=models.CASCADE, null=True, related_name="%(class)ss")
    first = models.DateField()
    last = models.DateField(default=FOREVER)
    opened = models.DateField()
    due = models.DateField(null=True, blank=True)
    is_mandatory = models.BooleanField(default=True)
    notice_days = models.PositiveSmallIntegerField(default=14)
    taken_from = models.DateField(null=True, blank=True)
    known_from = models.DateField()
    known_to = models.DateField(default=FOREVER)

    class Meta:
        abstract = True

    @property
    def name(self) -> str:
        """What asks, as the person reads it."""
        return self.assignment.name if self.assignment else Wish.How(self.wish.how).label if self.wish else ""

    @property
    def message(self) -> str:
        """What whoever asks adds to it."""
        return self.assignment.said_to(self.opened).strip() if self.assignment else ""

    @property
    def of_path(self) -> int | None:
        """The path that asks; None where the course itself is asked for."""
        by = self.assignment or self.wish
        return by.path_id if by else None

    @property
    def asked_by(self) -> tuple[int | None, int | None]:
        """The assignment or the wish that claims: claims of one have the same."""
        return self.assignment_id, self.wish_id


class Reason(Claim):
    """The claim for one course."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="reasons")
    course = models.ForeignKey(Course, on_delete=models.CASCADE, related_name="reasons")

    class Meta:
        constraints = (models.CheckConstraint(condition=BY_ONE, name="reason_by_an_assignment_or_a_wish"),)
        indexes = (
            models.Index(fields=["person", "course"], name="reason_by_person"),
            models.Index(fields=["assignment"], name="reason_by_assignment"),
            models.Index(fields=["course", "first"], name="reason_by_course"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} owes {self.course_id} since {self.opened}"


class PathReason(Claim):
    """The claim for a path; its courses have reasons of their own."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="path_reasons")
    path = models.ForeignKey(Path, on_delete=models.CASCADE, related_name="reasons")

    class Meta:
        constraints = (models.CheckConstraint(condition=BY_ONE, name="path_reason_by_an_assignment_or_a_wish"),)
        indexes = (
            models.Index(fields=["person", "path"], name="path_reason_by_person"),
            models.Index(fields=["assignment"], name="path_reason_by_assignment"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} climbs {self.path_id} since {self.opened}"


class Waiver(Fact):
    """A dated exemption of a person from a course, with its reason and who granted it."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="waivers")
    course = models.ForeignKey(Course, on_delete=models.PROTECT, related_name="waivers")
    from_day = models.DateField()
    to_day = models.DateField(null=True, blank=True)
    reason = models.CharField(max_length=300)
    granted_by = models.CharField(max_length=200)

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(to_day__isnull=True) | Q(to_day__gte=F("from_day")), name="waiver_ends_after_it_begins"
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} waived from {self.course_id}"


class Reminder(models.Model):
    """That somebody was reminded of a course on a day: once is enough."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="+")
    course = models.ForeignKey(Course, on_delete=models.CASCADE, related_name="+")
    on = models.DateField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["person", "course", "on"], name="reminded_once_a_day"),)

    def __str__(self) -> str:
        return f"{self.person_id} of {self.course_id} on {self.on}"


class ToTell(models.Model):
    """A place that the daily run opened, of which its person is yet to be told: with what else the day brings, in one message."""

    place = models.OneToOneField("learning.Enrolment", on_delete=models.CASCADE, related_name="+")

    class Meta:
        verbose_name_plural = "to tell"

    def __str__(self) -> str:
        return f"of place {self.place_id}"


class Moved(models.Model):
    """A person whose reasons, validity spans or waivers changed (none: everybody's); the key is the change's number."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, null=True, related_name="+")

    class Meta:
        db_table = "records_moved"
        verbose_name_plural = "moved"
        constraints = (models.UniqueConstraint(fields=["person"], name="moved_last_of_a_person"),)

    def __str__(self) -> str:
        return f"{self.person_id or 'everybody'} at {self.pk}"


class CachedColumns(models.Model):
    """Which columns on disk (assignments/column_cache.py) are those of this database, and the newest change (Moved) that is in them."""

    what = models.CharField(max_length=40, default="requirements")
    token = models.CharField(max_length=20)
    change = models.BigIntegerField()
    made_at = models.DateTimeField()

    class Meta:
        db_table = "records_cachedcolumns"
        verbose_name_plural = "cached columns"

    def __str__(self) -> str:
        return f"{self.what} {self.token} up to {self.change}"
