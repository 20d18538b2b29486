"""What somebody may find, and who decides on a request."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from django.db.models import Q, QuerySet

from stepladder.accounts import policy
from stepladder.assignments.models import PathReason
from stepladder.assignments.paths import electives_of
from stepladder.catalogue.models import Request
from stepladder.core.admission import Admission
from stepladder.core.days import FOREVER
from stepladder.courses.keeping import keepers_of, kept_at_all
from stepladder.courses.models import Course, CourseState, OfferReach, Path
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.reaches.offering import offered_to

__all__ = ["found_courses", "found_paths", "held_reaches", "may_find", "of_choice", "register"]

NOT_FOUND = (
    "This is not offered to you. Your lead can assign it to you, or an administrator can say that you may find it."
)
NOT_ASKED = "Only who has been asked to decide on this request can do it."


def held_reaches(account: Any) -> list[int]:
    """Of the reaches that things and programmes are offered to: those that an account is in today. Looked up once for each loaded
    account."""
    if not hasattr(account, "_held_reaches"):
        rows = list(OfferReach.objects.values_list("pk", "reach"))
        account._held_reaches = offered_to(account, rows) if rows else []
    found: list[int] = account._held_reaches
    return found


def _offered(account: Any) -> Q:
    """Of courses or paths: those that are released and offered to the account."""
    person = person_of(account)
    if person is None:
        return Q(pk__in=())
    whom = Q(offer__found_by__isnull=True) | Q(offer__found_by__in=held_reaches(account))
    return Q(state=CourseState.RELEASED, offer__isnull=False) & ~Q(offer__admission=Admission.ASSIGNED_ONLY) & whom


def _offered_paths(account: Any) -> Q:
    """Of paths: as `_offered`; what somebody built for their own people is offered to those whose builder that is today."""
    return _offered(account) & (Q(kept_by__isnull=True) | Q(kept_by__in=_keepers(account)))


def _keepers(account: Any) -> frozenset[int]:
    """Whose people the account's person is, where anybody built a path for theirs. Looked up once for each loaded account."""
    if not hasattr(account, "_keepers"):
        person = person_of(account)
        account._keepers = keepers_of(person) if person and kept_at_all() else frozenset()
    found: frozenset[int] = account._keepers
    return found


def of_choice(account: Any) -> dict[int, str]:
    """The courses that an account's person may choose on their paths, each with its path. Looked up once for each loaded account."""
    if not hasattr(account, "_of_choice"):
        person = person_of(account)
        account._of_choice = electives_of(person) if person else {}
    found: dict[int, str] = account._of_choice
    return found


def _had(account: Any) -> tuple[Q, Q]:
    """Of courses, and of paths: those that somebody is enrolled in, or was to the end, and the electives of their paths."""
    person = person_of(account)
    places = Enrolment.objects.filter(person=person, closed_on__isnull=True)
    climbed = PathReason.objects.filter(person=person, known_to=FOREVER)
    courses = Q(pk__in=places.values("course"))
    if chosen := of_choice(account):
        courses |= Q(pk__in=list(chosen))
    return courses, Q(pk__in=climbed.values("path"))


def found_courses(account: Any) -> QuerySet[Course]:
    """The courses that stand in somebody's catalogue: those offered to them, and those that they have."""
    person = person_of(account)
    rows = Course.objects.filter(state=CourseState.RELEASED)
    return rows.filter(_offered(account) | _had(account)[0]) if person else rows.none()


def found_paths(account: Any) -> QuerySet[Path]:
    """The paths that stand in somebody's catalogue."""
    person = person_of(account)
    rows = Path.objects.filter(state=CourseState.RELEASED)
    return rows.filter(_offered_paths(account) | _had(account)[1]) if person else rows.none()


def may_find(people: Iterable[Person], thing: Course | Path) -> list[Person]:
    """Of these people, who may find a thing: it is offered to them, or they have it."""
    found = []
    for person in people:
        who = _AsPerson(person)
        courses, paths = _had(who)
        if isinstance(thing, Course):
            may = Course.objects.filter(_offered(who) | courses, pk=thing.pk).exists()
        else:
            may = Path.objects.filter(_offered_paths(who) | paths, pk=thing.pk).exists()
        if may:
            found.append(person)
    return found


class _AsPerson:
    """Somebody who is asked about, and need not have an account."""

    def __init__(self, person: Person) -> None:
        self._person = person


def _to_decide(account: Any) -> Q:
    return Q(deciders__account=account.pk)


def register() -> None:
    policy.relation_by_rows(Course, policy.OFFERED, _offered, NOT_FOUND)
    policy.relation_by_rows(Path, policy.OFFERED, _offered_paths, NOT_FOUND)
    policy.relation_by_rows(Request, policy.ASKED, _to_decide, NOT_ASKED)
