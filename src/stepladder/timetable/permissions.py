"""Whose sessions are: those whom an instructor teaches."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet

from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.courses import keeping
from stepladder.courses.models import Step
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.timetable.models import Booking, Session

__all__ = ["offered_to", "register"]

NOT_TAUGHT = "Only who teaches this session can do this."


def _taught(account: Any) -> Q:
    return Q(pk__in=Session.instructors.through.objects.filter(person__account=account.pk).values("session"))


def _instructor(account: Any) -> frozenset[str]:
    """Whoever teaches a session is an instructor, granted or not."""
    person = person_of(account)
    teaches = person is not None and Session.instructors.through.objects.filter(person=person).exists()
    return frozenset({Role.INSTRUCTOR}) if teaches else frozenset()


def offered_to(person: Person) -> QuerySet[Session]:
    """The sessions that somebody may know of as a learner: of what is before them to do, and those they are or were in."""
    places = Enrolment.objects.filter(person=person, completed_at__isnull=True, closed_on__isnull=True)
    modules = Step.objects.filter(edition__in=places.values("edition")).values("module")
    booked = Booking.objects.known_now().filter(person=person).values("session")
    taught = Session.instructors.through.objects.filter(person=person).values("session")
    return Session.objects.filter(Q(module__in=modules) | Q(pk__in=booked) | Q(pk__in=taught))


def _teachers_of(person: Person) -> set[int]:
    """The accounts of whoever teaches a session into which somebody is booked, or was."""
    seats = Booking.objects.known_now().filter(person=person).exclude(state=Booking.State.CANCELLED).values("session")
    rows = Session.instructors.through.objects.filter(session__in=seats, person__account__is_active=True)
    return set(rows.values_list("person__account", flat=True))


def register() -> None:
    keeping.add_keepers(Role.INSTRUCTOR, _teachers_of)
    policy.derive_roles(_instructor)
    policy.relation_by_rows(Session, policy.TEACHES, _taught, NOT_TAUGHT)
