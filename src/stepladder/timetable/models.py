"""Sessions and their meetings, where they are, who teaches, and who has a seat."""

from __future__ import annotations

from django.conf import settings
from django.db import models
from django.db.models import F, Q

from stepladder.charts.models import Site
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.library.models import Module
from stepladder.people.models import Person


def working_week() -> list[int]:
    """Monday to Friday, as weekdays from 0 on."""
    return [0, 1, 2, 3, 4]


class Venue(models.Model):
    """A place where sessions are held."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    name = models.CharField(max_length=120, unique=True)
    address = models.CharField(max_length=300, blank=True)
    # Whose people come here first; none: anybody's.
    site = models.ForeignKey(Site, on_delete=models.SET_NULL, null=True, blank=True, related_name="venues")

    class Meta:
        ordering = ("name",)

    def __str__(self) -> str:
        return self.name


class Room(models.Model):
    """A room of a venue, with so many seats."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    venue = models.ForeignKey(Venue, on_delete=models.PROTECT, related_name="rooms")
    name = models.CharField(max_length=120)
    seats = models.PositiveSmallIntegerField()

    class Meta:
        ordering = ("venue__name", "name")
        constraints = (models.UniqueConstraint(fields=["venue", "name"], name="room_once_in_a_venue"),)

    def __str__(self) -> str:
        return f"{self.venue}, {self.name}"


class RoomHours(models.Model):
    """From when to when a room can be had on a weekday (0 Monday). A room that has none at all has those of a working week."""

    room = models.ForeignKey(Room, on_delete=models.CASCADE, related_name="hours")
    weekday = models.PositiveSmallIntegerField()
    opens = models.TimeField()
    closes = models.TimeField()

    class Meta:
        ordering = ("weekday",)
        constraints = (
            models.UniqueConstraint(fields=["room", "weekday"], name="hours_once_a_weekday"),
            models.CheckConstraint(condition=Q(closes__gt=F("opens")), name="room_closes_after_it_opens"),
        )

    def __str__(self) -> str:
        return f"{self.room_id} on {self.weekday}"


class Teaching(models.Model):
    """On which weekdays somebody teaches, how many sessions a day at most, in which languages, and what: no modules, anything; no
    languages, any.
    """

    person = models.OneToOneField(Person, on_delete=models.CASCADE, related_name="teaching")
    weekdays = models.JSONField(default=working_week)
    most_a_day = models.PositiveSmallIntegerField(default=2)
    languages = models.JSONField(default=list, blank=True)
    modules = models.ManyToManyField(Module, blank=True, related_name="+")

    def __str__(self) -> str:
        return f"{self.person_id} teaches"


class Session(models.Model):
    """A dated run of a module of the kind session. It has one or more meetings, in a room or live online."""

    class State(models.TextChoices):
        PLANNED = "planned", "planned"
        HELD = "held", "held and signed off"
        CANCELLED = "cancelled", "cancelled"

    class Order(models.TextChoices):
        NEED = "need", "who needs it soonest"
        ASKING = "asking", "who asked first"

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    module = models.ForeignKey(Module, on_delete=models.PROTECT, related_name="sessions")
    capacity = models.PositiveSmallIntegerField()
    room = models.ForeignKey(Room, on_delete=models.PROTECT, null=True, blank=True, related_name="sessions")
    live_address = models.CharField(max_length=300, blank=True)
    recording_address = models.CharField(max_length=300, blank=True)
    language = models.CharField(max_length=40, blank=True)
    last_booking_day = models.DateField(null=True, blank=True)
    order = models.CharField(max_length=10, choices=Order.choices, default=Order.NEED)
    state = models.CharField(max_length=10, choices=State.choices, default=State.PLANNED)
    note = models.TextField(blank=True)
    cancelled_because = models.CharField(max_length=300, blank=True)
    signed_off_at = models.DateTimeField(null=True, blank=True)
    signed_off_by = models.CharField(max_length=200, blank=True)
    # Counts the changes that calendars were told of, and to how many meetings at most (RFC 5546, SEQUENCE).
    sequence = models.PositiveIntegerField(default=0)
    most_meetings = models.PositiveSmallIntegerField(default=1)
    instructors = models.ManyToManyField(Person, blank=True, related_name="teaches")

    class Meta:
        constraints = (
            models.CheckConstraint(
                condition=(Q(room__isnull=False) & Q(live_address="")) | (Q(room__isnull=True) & ~Q(live_address="")),
                name="session_in_a_room_or_live",
            ),
        )

    def __str__(self) -> str:
        return f"{self.module} ({self.public_id})"

    @property
    def join_address(self) -> str:
        """Where a session live online is joined, whole; empty for one in a room."""
        return (
            f"{settings.PUBLIC_ADDRESS}{self.live_address}" if self.live_address.startswith("/") else self.live_address
        )

    @property
    def place(self) -> str:
        """Where it is: the room, or that it is live online."""
        return str(self.room) if self.room else "live online"


class Meeting(models.Model):
    """One stretch of a session: from an instant to an instant."""

    session = models.ForeignKey(Session, on_delete=models.CASCADE, related_name="meetings")
    starts_at = models.DateTimeField()
    ends_at = models.DateTimeField()

    class Meta:
        ordering = ("starts_at",)
        constraints = (models.CheckConstraint(condition=Q(ends_at__gt=F("starts_at")), name="meeting_has_a_length"),)
        indexes = (models.Index(fields=["starts_at", "ends_at"], name="meeting_by_time"),)

    def __str__(self) -> str:
        return f"{self.session_id} at {self.starts_at}"


class Booking(Fact):
    """That somebody has a seat in a session, waits for one, or what came of it. One that is known at a time."""

    class State(models.TextChoices):
        BOOKED = "booked", "booked"
        WAITING = "waiting", "waiting"
        CANCELLED = "cancelled", "cancelled"
        ATTENDED = "attended", "attended"
        PARTLY = "partly attended", "partly attended"
        ABSENT = "absent", "absent"

    # Whoever had a seat when the session began, whatever came of it.
    SEATED = (State.BOOKED, State.ATTENDED, State.PARTLY, State.ABSENT)

    session = models.ForeignKey(Session, on_delete=models.PROTECT, related_name="bookings")
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="bookings")
    state = models.CharField(max_length=20, choices=State.choices)
    # When they asked; it stays through waiting and moving up, and decides ties.
    asked_at = models.DateTimeField()

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=["session", "person"], condition=Q(revoked_on__isnull=True), name="seat_once_per_person"
            ),
        )
        indexes = (
            models.Index(fields=["session", "state"], name="booking_by_session"),
            models.Index(fields=["person", "state"], name="booking_by_person"),
        )

    def __str__(self) -> str:
        return f"{self.person_id} {self.state} in {self.session_id}"


class Presence(models.Model):
    """That somebody was there from an instant to another; *left_at* None: to the end of the meeting.

    A roster that says "40 minutes" is kept as the first 40 of the meeting: what counts is how long (rule 9). A stretch of no length
    says that somebody was not there.
    """

    class Source(models.TextChoices):
        ROSTER = "roster", "on the roster"
        CHECK_IN = "check-in", "checked in"
        LIVE = "live", "joined online"

    session = models.ForeignKey(Session, on_delete=models.CASCADE, related_name="presences")
    person = models.ForeignKey(Person, on_delete=models.PROTECT, related_name="+")
    joined_at = models.DateTimeField()
    left_at = models.DateTimeField(null=True, blank=True)
    source = models.CharField(max_length=10, choices=Source.choices)

    class Meta:
        ordering = ("joined_at",)
        indexes = (models.Index(fields=["session", "person"], name="presence_by_session"),)

    def __str__(self) -> str:
        return f"{self.person_id} in {self.session_id} from {self.joined_at}"


class CalendarKey(models.Model):
    """The secret part of the address at which somebody's own sessions are read as iCalendar."""

    person = models.OneToOneField(Person, on_delete=models.CASCADE, related_name="calendar_key")
    key = models.CharField(max_length=50, unique=True)

    def __str__(self) -> str:
        return f"of {self.person_id}"
