"""Statuses in SQL, for counts over everybody: the same rules as core.requirements, by comparing days only."""

from __future__ import annotations

from collections import Counter
from datetime import date, timedelta
from typing import Any

from django.db.models import Case, Count, Exists, F, IntegerField, OuterRef, Q, QuerySet, Subquery, Value, When

from stepladder.accounts.organisation import organisation
from stepladder.assignments.models import Reason, Waiver
from stepladder.assignments.queries import requirements
from stepladder.core.requirements import WORST_FIRST, Status
from stepladder.learning.models import ValiditySpan

__all__ = ["count_by_assignment", "with_rank"]


def open_reasons(day: date, known_on: date) -> QuerySet[Reason]:
    """The reasons open on a day, as known on a day."""
    return Reason.objects.filter(first__lte=day, last__gte=day, known_from__lte=known_on, known_to__gt=known_on)


def with_rank(reasons: QuerySet[Reason], *, day: date, known_on: date, soon_days: int) -> QuerySet[Any]:
    """Reasons with `rank`, the place of their status in WORST_FIRST. Rule: 5.

    Only for reasons of people without a waiver for the course: those move days by the reason's own notice.
    """
    link = ValiditySpan.objects.filter(
        person=OuterRef("person"),
        course=OuterRef("course"),
        first__lte=day,
        known_from__lte=known_on,
        known_to__gt=known_on,
    ).order_by("-first")
    read = {
        f"link_{name}": Subquery(link.values(name)[:1])
        for name in ("taken", "valid_until", "renew_from", "grace_until")
    }
    counts = Q(link_taken__isnull=False) & (Q(taken_from__isnull=True) | Q(link_taken__gte=F("taken_from")))
    expired = counts & Q(link_valid_until__gte=F("opened"))
    cases: list[tuple[Q, Status]] = [
        (counts & Q(link_valid_until__gte=day, link_renew_from__lte=day), Status.RENEW),
        (counts & Q(link_valid_until__gte=day), Status.CURRENT),
        (expired & Q(link_grace_until__gte=day), Status.IN_GRACE),
        (expired, Status.LAPSED),
        (Q(due__lt=day), Status.OVERDUE),
        (Q(due__lte=day + timedelta(days=soon_days)), Status.DUE_SOON),
    ]
    whens = [When(condition, then=Value(WORST_FIRST.index(status))) for condition, status in cases]
    otherwise = Value(WORST_FIRST.index(Status.TO_DO))
    return reasons.annotate(**read).annotate(rank=Case(*whens, default=otherwise, output_field=IntegerField()))


def count_by_assignment(day: date, known_on: date) -> dict[int, Counter[Status]]:
    """Assignment → how many people stand how by it: in SQL, and by the core for the few who have a waiver."""
    waived = Exists(Waiver.objects.known_on(known_on).filter(person=OuterRef("person"), course=OuterRef("course")))
    plain = with_rank(
        open_reasons(day, known_on).filter(~waived), day=day, known_on=known_on, soon_days=organisation().soon_days
    )
    found: dict[int, Counter[Status]] = {}
    for assignment, rank, n in plain.values_list("assignment", "rank").annotate(n=Count("pk")).order_by():
        found.setdefault(assignment, Counter())[WORST_FIRST[rank]] += n
    people = list(Waiver.objects.known_on(known_on).values_list("person_id", flat=True).distinct())
    pairs = set(Waiver.objects.known_on(known_on).values_list("person_id", "course_id"))
    for row in requirements(people=people, day=day, known_on=known_on) if people else ():
        if (row.person, row.course) in pairs:
            for reason, required in zip(row.reasons, row.reason_statuses, strict=True):
                found.setdefault(reason.assignment_id, Counter())[required.status] += 1
    return found
