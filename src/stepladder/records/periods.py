"""Who completed what, and who attended what, in a period: narrowed, paged, and as files."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import DateField, Exists, F, OuterRef, Q, QuerySet, Subquery
from django.db.models.functions import TruncDate

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Unit
from stepladder.courses.models import Course
from stepladder.learning.models import Completion
from stepladder.people.models import Person, Placement
from stepladder.people.queries import place_in_words
from stepladder.search.words import words_of
from stepladder.timetable.models import Booking, Meeting
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import share

__all__ = ["ATTENDED", "COMPLETED", "Kind", "PeriodFilters", "in_period", "pieces", "with_places"]

PIECE = 2_000


@dataclass(frozen=True)
class PeriodFilters:
    """From which day to which, both included; whom, where they were placed on the day, and which course."""

    first: date
    last: date
    text: str = ""
    unit: Unit | None = None
    course: Course | None = None

    @property
    def description(self) -> list[tuple[str, str]]:
        """What it is narrowed to, as (filter, value)."""
        said = [
            ("from", written(self.first)),
            ("to", written(self.last)),
            ("name or number", self.text),
            ("unit and below", self.unit.name if self.unit else ""),
            ("course", self.course.title if self.course else ""),
        ]
        return [(label, value) for label, value in said if value]


@dataclass(frozen=True)
class Kind:
    """What is listed: its name in the address, its title, the columns, and a row's values."""

    name: str
    title: str
    columns: tuple[str, ...]
    rows: Callable[[PeriodFilters], QuerySet[Any]]
    values: Callable[[Any, str], tuple[Any, ...]]


def _completions(filters: PeriodFilters) -> QuerySet[Any]:
    rows: QuerySet[Any] = Completion.objects.known_now().filter(day__gte=filters.first, day__lte=filters.last)
    rows = rows.annotate(on=F("day")).select_related("person", "edition").order_by("-day", "-pk")
    return rows.filter(course=filters.course) if filters.course else rows


def _attendances(filters: PeriodFilters) -> QuerySet[Any]:
    states = (Booking.State.ATTENDED, Booking.State.PARTLY, Booking.State.ABSENT)
    # Of several meetings the last tells the day (rule 9).
    ends = Meeting.objects.filter(session=OuterRef("session")).order_by("-ends_at").values("ends_at")[:1]
    rows: QuerySet[Any] = Booking.objects.known_now().filter(state__in=states)
    rows = rows.annotate(on=TruncDate(Subquery(ends), tzinfo=clock.zone(), output_field=DateField()))
    rows = rows.filter(on__gte=filters.first, on__lte=filters.last)
    if filters.course:
        modules = filters.course.editions.values("steps__module")
        rows = rows.filter(session__module__in=modules)
    return rows.select_related("person", "session__module", "session__room__venue").order_by("-on", "-pk")


def in_period(kind: Kind, filters: PeriodFilters, account: Any) -> QuerySet[Any]:
    """What fits, the newest first, of the people whose records the account may open."""
    people = policy.visible(account, "open records", Person.objects.all())
    for word in words_of(filters.text):
        people = people.filter(
            Q(given_name__icontains=word) | Q(family_name__icontains=word) | Q(employee_number__icontains=word)
        )
    rows = kind.rows(filters)
    if filters.text or not policy.sees_every(account, "open records"):
        rows = rows.filter(person__in=people)
    if filters.unit:
        tree = units_tree()
        below = tree.below(filters.unit.pk) if filters.unit.pk in tree.parent else [filters.unit.pk]
        placed = Placement.objects.known_now().filter(
            Q(to_day__isnull=True) | Q(to_day__gte=OuterRef("on")),
            person=OuterRef("person"),
            unit__in=below,
            from_day__lte=OuterRef("on"),
        )
        rows = rows.filter(Exists(placed))
    return rows


def with_places(rows: Sequence[Any]) -> list[tuple[Any, str]]:
    """Each row with where its person was placed on its day: one query for all of them."""
    placed: dict[int, list[Placement]] = {}
    people = {row.person_id for row in rows}
    found = Placement.objects.known_now().filter(person__in=people).select_related("unit", "position")
    for placement in found.order_by("from_day", "pk"):
        placed.setdefault(placement.person_id, []).append(placement)
    return [(row, _place(placed.get(row.person_id, []), row.on)) for row in rows]


def _place(placements: Sequence[Placement], on: date) -> str:
    there = [p for p in placements if p.from_day <= on and (p.to_day is None or p.to_day >= on)]
    return "; ".join(place_in_words(p.unit.name, p.position.name if p.position else None) for p in there)


def pieces(kind: Kind, rows: QuerySet[Any]) -> Iterator[list[tuple[Any, ...]]]:
    """All rows as a file says them, piece by piece: a list of any length takes no more memory."""
    waiting: list[Any] = []
    for row in rows.iterator(chunk_size=PIECE):
        waiting.append(row)
        if len(waiting) == PIECE:
            yield [kind.values(one, where) for one, where in with_places(waiting)]
            waiting = []
    if waiting:
        yield [kind.values(one, where) for one, where in with_places(waiting)]


def _who(row: Any, where: str) -> tuple[Any, ...]:
    return (f"{row.person.family_name}, {row.person.given_name}", row.person.employee_number, where)


WHO = ("Name", "Number", "Unit and position")
COMPLETED = Kind(
    "completed",
    "Completed",
    (*WHO, "Course", "On", "Score", "Certificate"),
    _completions,
    lambda row, where: (
        *_who(row, where),
        row.edition.title,
        row.on,
        share(row.score) if row.score is not None else "",
        row.number,
    ),
)
ATTENDED = Kind(
    "attended",
    "Attended",
    (*WHO, "Session", "On", "Where", "What came of it"),
    _attendances,
    lambda row, where: (
        *_who(row, where),
        row.session.module.title,
        row.on,
        row.session.place,
        row.get_state_display(),
    ),
)
