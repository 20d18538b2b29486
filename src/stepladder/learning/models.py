"""Enrolments, attempts, steps done, completions, and what they come to over time."""

from __future__ import annotations

from fractions import Fraction
from typing import TYPE_CHECKING

from django.db import models
from django.db.models import Q

from stepladder.core.days import FOREVER
from stepladder.courses.models import Course, Edition
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.library.models import Module, ModuleVersion
from stepladder.people.models import Person

if TYPE_CHECKING:
    _TextField = models.CharField["Fraction | None", "Fraction | None"]
else:
    _TextField = models.CharField


class ShareField(_TextField):
    """A share between 0 and 1, kept exactly ("4/5"), None where there is no score."""

    def __init__(self, **kwargs: object) -> None:
        super().__init__(**{"max_length": 40, "null": True, "blank": True, **kwargs})  # type: ignore[arg-type]

    def from_db_value(self, value: str | None, *args: object) -> Fraction | None:
        return Fraction(value) if value else None

    def to_python(self, value: object) -> Fraction | None:
        return Fraction(str(value)) if value not in (None, "") else None

    def get_prep_value(self, value: object) -> str | None:
        return str(Fraction(str(value)).limit_denominator(10**9)) if value is not None else None


class Enrolment(models.Model):
    """A person's place in an edition of a course, with its origin. Renewing opens a new one."""

    class Origin(models.TextChoices):
        ASSIGNED = "assigned", "assigned"
        SELF = "self", "chosen oneself"
        APPROVED = "approved", "asked for and approved"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="enrolments")
    course = models.ForeignKey(Course, on_delete=models.PROTECT, related_name="enrolments")
    edition = models.ForeignKey(Edition, on_delete=models.PROTECT, related_name="enrolments")
    origin = models.CharField(max_length=10, choices=Origin.choices, default=Origin.ASSIGNED)
    opened_on = models.DateField()
    begun_at = models.DateTimeField(null=True, blank=True)
    completed_at = models.DateTimeField(null=True, blank=True)
    closed_on = models.DateField(null=True, blank=True)
    closed_because = models.CharField(max_length=200, blank=True)
    # The percentage reached before a release: no release lowers it (rule 6).
    floor = models.PositiveSmallIntegerField(default=0)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["person", "course"],
                condition=Q(completed_at__isnull=True, closed_on__isnull=True),
                name="one_open_enrolment",
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} in {self.course_id}"

    @property
    def is_open(self) -> bool:
        return self.completed_at is None and self.closed_on is None


class Attempt(models.Model):
    """One go at a module, bound to the version it was begun on. *data* is what its kind keeps: intervals, pages.

    A step may have several, one after another (*number*); one that has *ended_at* is not gone on with.
    """

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    enrolment = models.ForeignKey(Enrolment, on_delete=models.PROTECT, related_name="attempts")
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="attempts")
    version = models.ForeignKey(ModuleVersion, on_delete=models.PROTECT, related_name="attempts")
    number = models.PositiveIntegerField(default=1)
    begun_at = models.DateTimeField()
    last_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)
    seconds = models.PositiveIntegerField(default=0)
    status = models.CharField(max_length=20, blank=True)
    score = ShareField()
    data = models.JSONField(default=dict)

    class Meta:
        ordering = ("number",)
        constraints = (
            models.UniqueConstraint(fields=["enrolment", "module", "number"], name="attempt_number_once"),
            models.UniqueConstraint(
                fields=["enrolment", "module"], condition=Q(ended_at__isnull=True), name="one_attempt_under_way"
            ),
        )

    def __str__(self) -> str:
        return f"{self.enrolment_id} at {self.module_id}, {self.number}"


class Stretch(models.Model):
    """A stretch of time that somebody spent on an attempt (core.time_spent). Of a package, one for each launch of a part.

    Kept as it was told; that no moment counts twice is reckoned where it is reported (rule 16).
    """

    attempt = models.ForeignKey(Attempt, on_delete=models.CASCADE, related_name="stretches")
    # Of a package: the part and the launch; of what is played in the page, nothing.
    source = models.CharField(max_length=250, blank=True)
    began_at = models.DateTimeField()
    ended_at = models.DateTimeField()
    # Of a package: its first commit, and what of the time since was idle, in seconds.
    first_at = models.DateTimeField(null=True, blank=True)
    idle_seconds = models.FloatField(default=0)

    class Meta:
        verbose_name_plural = "stretches"
        indexes = (models.Index(fields=["attempt", "ended_at"], name="stretch_by_attempt"),)
        constraints = (
            models.UniqueConstraint(
                fields=["attempt", "source"], condition=~Q(source=""), name="one_stretch_of_a_launch"
            ),
        )

    def __str__(self) -> str:
        return f"{self.attempt_id}: {self.began_at} to {self.ended_at}"


class StepDone(Fact):
    """That a step of an enrolment is done: the instant and day it counts from, and its score. Undone, it is revoked.

    Its rows are digested by the journal as they are written (journal.sealing), not named by the acts that write them.
    """

    enrolment = models.ForeignKey(Enrolment, on_delete=models.PROTECT, related_name="steps_done")
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="+")
    version = models.ForeignKey(ModuleVersion, on_delete=models.PROTECT, related_name="+")
    at = models.DateTimeField()
    day = models.DateField()
    score = ShareField()
    # Spared by the entry test, of which this is the score.
    is_exempted = models.BooleanField(default=False)

    class Meta:
        verbose_name_plural = "steps done"
        constraints = (
            models.UniqueConstraint(
                fields=["enrolment", "module"], condition=Q(revoked_on__isnull=True), name="step_done_once"
            ),
        )

    def __str__(self) -> str:
        return f"{self.enrolment_id}: {self.module_id} on {self.day}"


class HandIn(Fact):
    """An answer that was handed in to be marked; *data* is what its kind keeps of it. The step counts from this instant."""

    attempt = models.ForeignKey(Attempt, on_delete=models.PROTECT, related_name="hand_ins")
    at = models.DateTimeField()
    day = models.DateField()
    data = models.JSONField(default=dict)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["attempt"], condition=Q(revoked_on__isnull=True), name="handed_in_once_an_attempt"
            ),
        )

    def __str__(self) -> str:
        return f"{self.attempt_id} on {self.day}"


class Mark(Fact):
    """What a marker gave a hand-in: passed or not, a score if there is one, and a note to whoever handed it in."""

    hand_in = models.ForeignKey(HandIn, on_delete=models.PROTECT, related_name="marks")
    has_passed = models.BooleanField()
    score = ShareField()
    note = models.TextField(blank=True)
    at = models.DateTimeField()
    by_name = models.CharField(max_length=200)

    class Meta:
        constraints = (
            models.UniqueConstraint(fields=["hand_in"], condition=Q(revoked_on__isnull=True), name="marked_once"),
        )

    def __str__(self) -> str:
        return f"{self.hand_in_id}: {'passed' if self.has_passed else 'not passed'}"


class Completion(Fact):
    """An immutable fact: who completed what, on which day, with which score; its certificate has the number."""

    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="completions")
    course = models.ForeignKey(Course, on_delete=models.PROTECT, related_name="completions")
    edition = models.ForeignKey(Edition, on_delete=models.PROTECT, related_name="+")
    enrolment = models.ForeignKey(
        Enrolment, on_delete=models.PROTECT, null=True, blank=True, related_name="completions"
    )
    day = models.DateField()
    at = models.DateTimeField()
    score = ShareField()
    own_expiry = models.DateField(null=True, blank=True)
    number = models.CharField(max_length=20)

    class Meta:
        indexes = (
            models.Index(fields=["course", "person", "day"], name="completion_by_course"),
            models.Index(fields=["number"], name="completion_by_number"),
            models.Index(fields=["day"], name="completion_by_day"),
            # Few are revoked: which, without reading them all.
            models.Index(fields=["revoked_on"], condition=Q(revoked_on__isnull=False), name="completion_revoked"),
        )
        constraints = (
            models.UniqueConstraint(
                fields=["enrolment"], condition=Q(revoked_on__isnull=True), name="one_known_completion_of_a_place"
            ),
            # One that was revoked and is recorded again keeps its number: the print of it is in somebody's hands.
            models.UniqueConstraint(
                fields=["number"], condition=Q(revoked_on__isnull=True), name="certificate_number_once_known"
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} completed {self.course_id} on {self.day}"


class ValiditySpan(models.Model):
    """A link of a person's chain in a course (core.validity.Link), derived from completions and terms; never edited.

    It speaks from *first* until the next one's first day; *valid_until* is inclusive. Known on k where
    known_from <= k < known_to.
    """

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="validity")
    course = models.ForeignKey(Course, on_delete=models.CASCADE, related_name="+")
    first = models.DateField()
    taken = models.DateField()
    valid_until = models.DateField()
    window_days = models.PositiveIntegerField(default=0)
    grace_days = models.PositiveIntegerField(default=0)
    # The same as days, so that lists compare days in SQL: from when it may be renewed, until when grace excuses.
    renew_from = models.DateField(default=FOREVER)
    grace_until = models.DateField(default=FOREVER)
    completion_key = models.BigIntegerField()
    known_from = models.DateField()
    known_to = models.DateField(default=FOREVER)

    class Meta:
        indexes = (models.Index(fields=["person", "course", "first"], name="span_by_person"),)

    def __str__(self) -> str:
        return f"{self.person_id} holds {self.course_id} from {self.first} until {self.valid_until}"
