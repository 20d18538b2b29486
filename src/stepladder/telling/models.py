"""Notice rules, and what they have told to whom."""

from __future__ import annotations

from django.db import models
from django.db.models import Q

from stepladder.assignments.models import Assignment
from stepladder.core import telling
from stepladder.courses.models import Course, Path
from stepladder.identity import new_public_id
from stepladder.people.models import Person

__all__ = ["OF_NOBODY", "NoticeRule", "Said", "Told"]


class NoticeRule(models.Model):
    """What is told so many days before or after a day, and to whom. It speaks for the whole organisation, or for one course, path
    or assignment instead of the rules of what it belongs to. Rule: 13."""

    class Moment(models.TextChoices):
        DUE = telling.Moment.DUE.value, "due"
        EXPIRY = telling.Moment.EXPIRY.value, "valid until"
        # Told with the run after it: its offset is 0.
        COMPLETED = "completed", "completed"
        # Of nobody in particular (telling.matters).
        ALL_DONE = "all done", "everybody of an assignment done"
        MARKING = "marking", "waits to be marked"

    class To(models.TextChoices):
        PERSON = "person", "the person"
        LEADS = "leads", "whoever they answer to"
        CONTACT = "contact", "the course’s contact"
        ADMINISTRATORS = "administrators", "administrators of their part"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    course = models.ForeignKey(Course, on_delete=models.CASCADE, null=True, blank=True, related_name="notice_rules")
    path = models.ForeignKey(Path, on_delete=models.CASCADE, null=True, blank=True, related_name="notice_rules")
    assignment = models.ForeignKey(
        Assignment, on_delete=models.CASCADE, null=True, blank=True, related_name="notice_rules"
    )
    moment = models.CharField(max_length=10, choices=Moment.choices)
    # Days after the moment; before it where negative. 0 is the day itself.
    offset = models.SmallIntegerField()
    to = models.JSONField(default=list)
    named = models.ManyToManyField(Person, blank=True, related_name="+")
    words = models.TextField(blank=True)
    # Of days up to this one it says nothing: it was made on it, or told on it already.
    begins_after = models.DateField()
    # Of a rule that tells that everybody has done it: since when it knows what had been done before it (telling.matters).
    settled_on = models.DateField(null=True, blank=True)
    made_by = models.CharField(max_length=200)
    made_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=Q(course__isnull=True, path__isnull=True)
                | Q(course__isnull=True, assignment__isnull=True)
                | Q(path__isnull=True, assignment__isnull=True),
                name="notice_rule_is_of_one_thing_at_most",
            ),
        )

    def __str__(self) -> str:
        return f"{self.moment} {self.offset:+d}"

    @property
    def of(self) -> Course | Path | Assignment | None:
        """What it belongs to; None: the organisation."""
        return self.course or self.path or self.assignment


class Told(models.Model):
    """That a rule has spoken to somebody about a person's course or path and the day meant: it does so once. Rule: 13."""

    rule = models.ForeignKey(NoticeRule, on_delete=models.CASCADE, related_name="+")
    reader = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="+")
    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="+")
    is_path = models.BooleanField(default=False)
    # The key of the course or path.
    thing = models.PositiveBigIntegerField()
    meant = models.DateField()
    on = models.DateField()

    class Meta:
        verbose_name_plural = "told"
        constraints = (
            models.UniqueConstraint(fields=["reader", "rule", "person", "is_path", "thing", "meant"], name="told_once"),
        )

    def __str__(self) -> str:
        return f"{self.reader_id} of {self.person_id} for {self.meant}"


# These speak of nobody in particular, so neither to the person nor to whoever they answer to.
OF_NOBODY = (NoticeRule.Moment.ALL_DONE, NoticeRule.Moment.MARKING)


class Said(models.Model):
    """That a rule has said of an assignment that everybody has done it, or of a paper that it waits: with the run of a day."""

    rule = models.ForeignKey(NoticeRule, on_delete=models.CASCADE, related_name="+")
    # The key of the assignment or the paper.
    thing = models.PositiveBigIntegerField()
    on = models.DateField()

    class Meta:
        verbose_name_plural = "said"
        constraints = (models.UniqueConstraint(fields=["rule", "thing"], name="said_once"),)

    def __str__(self) -> str:
        return f"{self.rule_id} of {self.thing} on {self.on}"
