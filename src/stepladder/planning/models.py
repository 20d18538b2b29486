"""Plans of sessions: what was asked for, what the queue found, and whether it was taken over."""

from __future__ import annotations

from django.conf import settings
from django.db import models

from stepladder import clock
from stepladder.identity import new_public_id
from stepladder.library.models import Module
from stepladder.people.models import PersonField
from stepladder.timetable.models import Room, Session

__all__ = ["Plan", "PlanSession"]


class Plan(models.Model):
    """Sessions of a module for whoever of a reach needs it, in a span. *reach* is stored, *words* what it said then.

    *away_most* and *away_share* (percent) limit how many of a unit may be away at once; neither: no limit. *language_field* is where it
    stands in which language somebody learns. What was found: *late*, *days_late*, *least_…* (no plan has fewer), *costs* (what each wish
    costs), *left_out* (person, reason), *can_wait* (how many need it only after the span).
    """

    class State(models.TextChoices):
        WAITING = "waiting", "waiting to be worked out"
        WORKING = "working", "being worked out"
        FOUND = "found", "worked out"
        FAILED = "failed", "not worked out"
        TAKEN = "taken", "taken over"
        RETURNED = "returned", "taken back"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    account = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.PROTECT, related_name="+")
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="plans")
    reach = models.JSONField()
    words = models.TextField()
    first = models.DateField()
    last = models.DateField()
    minutes = models.PositiveIntegerField()
    seats = models.PositiveSmallIntegerField()
    rooms = models.ManyToManyField(Room, blank=True, related_name="+")
    away_most = models.PositiveSmallIntegerField(null=True, blank=True)
    away_share = models.PositiveSmallIntegerField(null=True, blank=True)
    by_site = models.BooleanField(default=True)
    language_field = models.ForeignKey(PersonField, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    created_at = models.DateTimeField(default=clock.now)
    state = models.CharField(max_length=10, choices=State.choices, default=State.WAITING)
    stage = models.PositiveSmallIntegerField(default=0)
    stages = models.PositiveSmallIntegerField(default=1)
    trouble = models.TextField(blank=True)
    people = models.PositiveIntegerField(default=0)
    late = models.PositiveIntegerField(default=0)
    days_late = models.PositiveIntegerField(default=0)
    least_late = models.PositiveIntegerField(default=0)
    least_sessions = models.PositiveIntegerField(default=0)
    is_best = models.BooleanField(default=False)
    with_instructors = models.BooleanField(default=False)
    needed = models.JSONField(default=dict)
    left_out = models.JSONField(default=list)
    can_wait = models.PositiveIntegerField(default=0)
    unmet = models.JSONField(default=list)
    costs = models.JSONField(default=list)
    found_at = models.DateTimeField(null=True, blank=True)
    # The act by which it was taken over.
    act = models.BigIntegerField(null=True, blank=True)

    class Meta:
        ordering = ("-created_at", "-pk")

    def __str__(self) -> str:
        return f"{self.module.title}, {self.words}"

    @property
    def is_under_way(self) -> bool:
        return self.state in (self.State.WAITING, self.State.WORKING)


class PlanSession(models.Model):
    """A session of a plan; one that was there before (*session*, while *room* is none) whose free seats are filled. Taken over, it became
    *session*. One that is *out* was taken out of the plan by hand.
    """

    plan = models.ForeignKey(Plan, on_delete=models.CASCADE, related_name="sessions")
    day = models.DateField()
    start = models.TimeField()
    room = models.ForeignKey(Room, on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    instructor = models.ForeignKey("people.Person", on_delete=models.PROTECT, null=True, blank=True, related_name="+")
    language = models.CharField(max_length=40, blank=True)
    people = models.JSONField(default=list)
    is_out = models.BooleanField(default=False)
    session = models.ForeignKey(Session, on_delete=models.SET_NULL, null=True, blank=True, related_name="+")
    # What could not be done of it when the plan was taken over, or back, in sentences.
    trouble = models.JSONField(default=list)

    class Meta:
        ordering = ("day", "start", "pk")

    def __str__(self) -> str:
        return f"{self.day} {self.start}"
