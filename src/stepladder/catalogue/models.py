"""What people do with what is offered: follow, keep, rate, pass on, ask for; and what the organisation wants seen."""

from __future__ import annotations

import secrets

from django.conf import settings
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models
from django.db.models import F, Q

from stepladder.courses.models import Course, OfferReach, Path
from stepladder.identity import new_public_id
from stepladder.people.models import Person
from stepladder.topics.models import Topic

# A thing of the catalogue is a course or a path; a module that is offered by itself is a course.
ONE_THING = Q(course__isnull=False, path__isnull=True) | Q(course__isnull=True, path__isnull=False)


def new_token() -> str:
    """What nobody guesses."""
    return secrets.token_urlsafe(24)


class OfThing(models.Model):
    """What is about one thing of the catalogue."""

    course = models.ForeignKey(Course, on_delete=models.CASCADE, null=True, blank=True, related_name="+")
    path = models.ForeignKey(Path, on_delete=models.CASCADE, null=True, blank=True, related_name="+")

    class Meta:
        abstract = True

    @property
    def thing(self) -> Course | Path:
        """The course or path."""
        found = self.course or self.path
        assert found is not None, "ONE_THING"
        return found


class Embedded(models.Model):
    """That a path may be shown within pages of other sites, at an address that names the path and nobody."""

    path = models.OneToOneField(Path, on_delete=models.CASCADE, related_name="embedded")
    token = models.CharField(max_length=40, unique=True, default=new_token, editable=False)
    at = models.DateTimeField()

    class Meta:
        verbose_name_plural = "embedded"

    def __str__(self) -> str:
        return str(self.path)


class Following(models.Model):
    """That somebody follows a topic."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="following")
    topic = models.ForeignKey(Topic, on_delete=models.CASCADE, related_name="+")

    class Meta:
        verbose_name_plural = "following"
        constraints = (models.UniqueConstraint(fields=["person", "topic"], name="followed_once_by_each"),)

    def __str__(self) -> str:
        return f"{self.person_id} follows {self.topic_id}"


class Kept(OfThing):
    """That somebody put a thing by for later."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="kept")
    at = models.DateTimeField()

    class Meta:
        verbose_name_plural = "kept"
        constraints = (
            models.CheckConstraint(condition=ONE_THING, name="kept_is_one_thing"),
            models.UniqueConstraint(fields=["person", "course"], name="course_kept_once_by_each"),
            models.UniqueConstraint(fields=["person", "path"], name="path_kept_once_by_each"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} keeps {self.course_id or self.path_id}"


class Rating(OfThing):
    """What somebody who completed a thing gives it, from 1 to 5; the words with it reach its author only. Rule: 14."""

    person = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="ratings")
    points = models.PositiveSmallIntegerField(validators=[MinValueValidator(1), MaxValueValidator(5)])
    words = models.TextField(blank=True)
    at = models.DateTimeField()

    class Meta:
        constraints = (
            models.CheckConstraint(condition=ONE_THING, name="rated_is_one_thing"),
            models.CheckConstraint(condition=Q(points__gte=1, points__lte=5), name="rated_from_one_to_five"),
            models.UniqueConstraint(fields=["person", "course"], name="course_rated_once_by_each"),
            models.UniqueConstraint(fields=["person", "path"], name="path_rated_once_by_each"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} gives {self.points}"


class PassedOn(OfThing):
    """That somebody pointed a thing out to somebody, with a word. *opened_at* None: they have not looked at it yet."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    by = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="passed_on")
    to = models.ForeignKey(Person, on_delete=models.CASCADE, related_name="passed_to")
    words = models.CharField(max_length=300, blank=True)
    at = models.DateTimeField()
    opened_at = models.DateTimeField(null=True, blank=True)

    class Meta:
        verbose_name_plural = "passed on"
        indexes = (models.Index(fields=["to", "opened_at"], name="passed_on_to"),)
        constraints = (
            models.CheckConstraint(condition=ONE_THING, name="passed_on_is_one_thing"),
            models.CheckConstraint(condition=~Q(by=F("to")), name="passed_on_to_somebody_else"),
            models.UniqueConstraint(fields=["by", "to", "course"], name="course_passed_on_once"),
            models.UniqueConstraint(fields=["by", "to", "path"], name="path_passed_on_once"),
        )

    def __str__(self) -> str:
        return f"{self.by_id} to {self.to_id}"


class Posted(OfThing):
    """What the organisation wants seen: on the noticeboard between two days, for a reach (None: for everybody who may find it)."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    words = models.CharField(max_length=300)
    reach = models.ForeignKey(OfferReach, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    from_day = models.DateField()
    to_day = models.DateField()
    by_name = models.CharField(max_length=200)

    class Meta:
        verbose_name_plural = "posted"
        ordering = ("-from_day", "-pk")
        constraints = (
            models.CheckConstraint(condition=ONE_THING, name="posted_is_one_thing"),
            models.CheckConstraint(condition=Q(to_day__gte=F("from_day")), name="posted_ends_after_it_begins"),
        )

    def __str__(self) -> str:
        return f"{self.course or self.path} from {self.from_day} to {self.to_day}"


class Request(OfThing):
    """A person's wish to get into something on approval. The first decision counts, and is final. Rule: 12."""

    class State(models.TextChoices):
        WAITS = "waits", "waits"
        APPROVED = "approved", "approved"
        REFUSED = "refused", "refused"
        WITHDRAWN = "withdrawn", "withdrawn"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="requests")
    words = models.TextField(blank=True)
    asked_at = models.DateTimeField()
    # Its day in the organisation's zone: circles and days are counted from it.
    asked_on = models.DateField()
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITS)
    decided_on = models.DateField(null=True, blank=True)
    decided_by = models.CharField(max_length=200, blank=True)
    answer = models.TextField(blank=True)
    # Whoever refused it may ask again at once, since somebody who may decide says so.
    may_ask_again = models.BooleanField(default=False)

    class Meta:
        ordering = ("asked_at", "pk")
        indexes = (models.Index(fields=["state", "asked_on"], name="request_by_state"),)
        constraints = (
            models.CheckConstraint(condition=ONE_THING, name="asked_for_is_one_thing"),
            models.UniqueConstraint(
                fields=["person", "course"], condition=Q(state="waits"), name="one_waiting_request_for_a_course"
            ),
            models.UniqueConstraint(
                fields=["person", "path"], condition=Q(state="waits"), name="one_waiting_request_for_a_path"
            ),
        )

    def __str__(self) -> str:
        return f"{self.person_id} asks for {self.course_id or self.path_id}"


class Decider(models.Model):
    """Somebody who has been asked to decide on a request: only they may. *circle* is how near they stand, from 0."""

    request = models.ForeignKey(Request, on_delete=models.CASCADE, related_name="deciders")
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="to_decide")
    circle = models.PositiveSmallIntegerField()
    asked_on = models.DateField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=["request", "account"], name="asked_once_to_decide"),)

    def __str__(self) -> str:
        return f"{self.account_id} decides on {self.request_id}"
