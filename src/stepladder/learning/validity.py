"""Validity spans, derived anew from the facts whenever one of them changes."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction
from django.db.models import QuerySet

from stepladder.core.days import FOREVER, Span, join_spans
from stepladder.core.equivalents import satisfied_by
from stepladder.core.knowledge import Known, over_time
from stepladder.core.validity import Cap, Link, Terms, TermsHistory, chain, valid_spans
from stepladder.core.validity import Completion as Occupancy
from stepladder.courses.models import Course, CourseTerms, Edition
from stepladder.courses.outline import NO_TERMS, caps_of, terms_history
from stepladder.facts import write_differences
from stepladder.learning.models import Completion, ValiditySpan

__all__ = ["HoldingsHistory", "completed_by", "derive_spans", "held_spans", "links_of", "refresh"]

# A completion of an equivalent course is no older edition of this one.
ANOTHER_COURSE = 10**6


@dataclass(frozen=True)
class _Course:
    """What a course's chains are derived by."""

    key: int
    counted: frozenset[int]
    terms: list[CourseTerms]
    caps: list[tuple[date, int, date]]

    def terms_known(self, day: date) -> TermsHistory:
        rows = [t for t in self.terms if t.recorded_on <= day and (t.revoked_on is None or t.revoked_on > day)]
        # Before the first terms were recorded nothing else was known of them than what came first.
        return terms_history(rows or [t for t in self.terms if t.recorded_on == self.terms[0].recorded_on]) or NO_TERMS


def equivalents() -> dict[int, list[int]]:
    """Course → those whose completion counts as one of it, one step."""
    arrows: dict[int, list[int]] = {}
    for a, b in Course.satisfied_by.through.objects.values_list("from_course_id", "to_course_id"):
        arrows.setdefault(a, []).append(b)
    return arrows


def _load_courses(courses: Iterable[int] | None) -> list[_Course]:
    keys = list(Course.objects.values_list("pk", flat=True)) if courses is None else sorted(set(courses))
    arrows = equivalents()
    terms: dict[int, list[CourseTerms]] = {}
    for row in CourseTerms.objects.filter(course__in=keys).order_by("recorded_on", "pk"):
        terms.setdefault(row.course_id, []).append(row)
    editions: dict[int, list[Edition]] = {}
    for edition in Edition.objects.filter(course__in=keys, retake_by__isnull=False):
        editions.setdefault(edition.course_id, []).append(edition)
    return [_Course(k, satisfied_by(k, arrows), terms.get(k, []), caps_of(editions.get(k, []))) for k in keys]


def _chain_as_known(course: _Course, facts: Sequence[Completion], numbers: Mapping[int, int], day: date) -> list[Link]:
    known = [c for c in facts if c.recorded_on <= day and (c.revoked_on is None or c.revoked_on > day)]
    completions = [
        Occupancy(
            c.day,
            numbers[c.edition_id] if c.course_id == course.key else ANOTHER_COURSE,
            c.own_expiry if c.course_id == course.key else None,
            c.pk,
        )
        for c in known
    ]
    caps = [Cap(*cap) for cap in course.caps if cap[0] <= day]
    return chain(completions, course.terms_known(day) if course.terms else NO_TERMS, caps)


def derive_spans(
    *,
    people: Iterable[int] | None = None,
    courses: Iterable[int] | None = None,
    also: Iterable[Completion] = (),
) -> Iterable[ValiditySpan]:
    """The spans, unsaved, of these people in these courses (None: all), from the facts alone.

    *also* are completions that were not recorded: what would be if they were.
    """
    supposed = list(also)
    numbers = dict(Edition.objects.values_list("pk", "number"))
    wanted = None if people is None else set(people)
    for course in _load_courses(courses):
        rows = Completion.objects.filter(course__in=course.counted)
        if wanted is not None:
            rows = rows.filter(person__in=wanted)
        facts: dict[int, list[Completion]] = {}
        for fact in rows.order_by("pk"):
            facts.setdefault(fact.person_id, []).append(fact)
        for fact in supposed:
            if fact.course_id in course.counted and (wanted is None or fact.person_id in wanted):
                facts.setdefault(fact.person_id, []).append(fact)
        for person, of_person in facts.items():
            for known in _known_links(course, of_person, numbers):
                yield _span(person, course.key, known)


def _known_links(course: _Course, facts: Sequence[Completion], numbers: Mapping[int, int]) -> list[Known[Link]]:
    first = min(fact.recorded_on for fact in facts)
    changes = {day for fact in facts for day in (fact.recorded_on, fact.revoked_on) if day}
    changes |= {day for row in course.terms for day in (row.recorded_on, row.revoked_on) if day and day > first}
    changes |= {cap[0] for cap in course.caps if cap[0] > first}
    return over_time(changes, lambda day: _chain_as_known(course, facts, numbers, day))


def _span(person: int, course: int, known: Known[Link]) -> ValiditySpan:
    link = known.row
    endless = link.valid_until == FOREVER
    return ValiditySpan(
        person_id=person,
        course_id=course,
        first=link.first,
        taken=link.taken,
        valid_until=link.valid_until,
        window_days=link.terms.window_days,
        grace_days=link.terms.grace_days,
        renew_from=link.valid_until if endless else link.valid_until - timedelta(days=link.terms.window_days),
        grace_until=link.valid_until if endless else link.valid_until + timedelta(days=link.terms.grace_days),
        completion_key=link.key,
        known_from=known.known_from,
        known_to=known.known_to,
    )


@transaction.atomic
def refresh(*, people: Iterable[int] | None = None, courses: Iterable[int] | None = None) -> set[int]:
    """Bring the spans of these people in these courses, and in those they count for, up to date; whose are others now."""
    keys = None
    if courses is not None:
        arrows = equivalents()
        changed = set(courses)
        every = Course.objects.values_list("pk", flat=True)
        keys = [key for key in every if changed & satisfied_by(key, arrows)]
    wanted = None if people is None else sorted(set(people))
    old = ValiditySpan.objects.all()
    if keys is not None:
        old = old.filter(course__in=keys)
    if wanted is not None:
        old = old.filter(person__in=wanted)
    return write_differences(old, derive_spans(people=wanted, courses=keys))


def completed_by(courses: Iterable[int]) -> list[int]:
    """Whose spans depend on these courses' terms: whoever ever completed one of them, or one that counts as it, or did until now."""
    arrows = equivalents()
    changed = set(courses)
    every = [key for key in Course.objects.values_list("pk", flat=True) if changed & satisfied_by(key, arrows)]
    counted = {one for key in every for one in satisfied_by(key, arrows)}
    people = set(Completion.objects.filter(course__in=counted).values_list("person_id", flat=True))
    # A course that counts no longer has left spans behind.
    people |= set(ValiditySpan.objects.filter(course__in=every).values_list("person_id", flat=True))
    return sorted(people)


class HoldingsHistory:
    """Who held what, as known on any day, of some people: read once for all of them."""

    def __init__(self, people: Iterable[int] | None) -> None:
        spans, completions = ValiditySpan.objects.order_by("first"), Completion.objects.all()
        if people is not None:
            keys = sorted(set(people))
            spans, completions = spans.filter(person__in=keys), completions.filter(person__in=keys)
        self._spans: dict[int, list[ValiditySpan]] = {}
        for span in spans:
            self._spans.setdefault(span.person_id, []).append(span)
        self._changes: dict[int, set[date]] = {}
        self._own = own_completions(completions)
        for person, recorded, revoked in completions.values_list("person_id", "recorded_on", "revoked_on"):
            self._changes.setdefault(person, set()).update(day for day in (recorded, revoked) if day)

    def changes(self, person: int) -> set[date]:
        """The days on which a completion of theirs was recorded or revoked."""
        return self._changes.get(person, set())

    def held(self, person: int, day: date) -> dict[int, Sequence[Span]]:
        """Course → the days on which a valid completion is held, as known on a day."""
        chains: dict[int, list[Link]] = {}
        for row in self._spans.get(person, ()):
            if row.known_from <= day < row.known_to:
                chains.setdefault(row.course_id, []).append(link_from(row))
        return {course: valid_spans(links) for course, links in chains.items()}

    def earned(self, person: int, day: date) -> dict[int, Sequence[Span]]:
        """The same by completions of the course itself: what counts as it gives no credits. Rule: 4."""
        chains: dict[int, list[ValiditySpan]] = {}
        for row in self._spans.get(person, ()):
            if row.known_from <= day < row.known_to:
                chains.setdefault(row.course_id, []).append(row)
        return {course: _earned(rows, self._own) for course, rows in chains.items()}


def own_completions(completions: QuerySet[Completion]) -> dict[int, int]:
    """Completion → the course that it is of."""
    return dict(completions.values_list("pk", "course_id"))


def _earned(rows: Sequence[ValiditySpan], own: Mapping[int, int]) -> list[Span]:
    """The days of a chain on which a completion of its own course is valid."""
    valid = valid_spans([link_from(row) for row in rows])
    lasting = [Span(row.taken, row.valid_until) for row in rows if own.get(row.completion_key) == row.course_id]
    return join_spans(part for one in lasting for other in valid if (part := one.cut(other)))


def _known_spans(
    people: Sequence[int] | None, known_on: date, courses: Collection[int] | None
) -> QuerySet[ValiditySpan]:
    """The spans of these people in these courses (None: of all), as known on a day, the first first."""
    rows = ValiditySpan.objects.filter(known_from__lte=known_on, known_to__gt=known_on)
    if courses is not None:
        rows = rows.filter(course__in=courses)
    if people is not None:
        rows = rows.filter(person__in=people)
    return rows.order_by("first")


def earned_spans(
    people: Sequence[int] | None, known_on: date, courses: Collection[int] | None = None
) -> dict[int, dict[int, Sequence[Span]]]:
    """Person → course (of these; None: of all) → the days on which a completion of the course itself is valid: what gives credits."""
    rows = _known_spans(people, known_on, courses)
    chains: dict[tuple[int, int], list[ValiditySpan]] = {}
    for row in rows:
        chains.setdefault((row.person_id, row.course_id), []).append(row)
    counted = Completion.objects.filter(course__in={course for _, course in chains})
    own = own_completions(counted if people is None else counted.filter(person__in=people))
    found: dict[int, dict[int, Sequence[Span]]] = {}
    for (person, course), of_pair in chains.items():
        found.setdefault(person, {})[course] = _earned(of_pair, own)
    return found


def links_of(person: int, course: int, *, known_on: date) -> list[Link]:
    """The stored links of one person in one course, as known on a day, in order."""
    rows = ValiditySpan.objects.filter(
        person=person, course=course, known_from__lte=known_on, known_to__gt=known_on
    ).order_by("first")
    return [link_from(row) for row in rows]


def link_from(row: ValiditySpan) -> Link:
    """A stored span as the core's link."""
    terms = Terms(None, row.window_days, row.grace_days)
    return Link(row.first, row.taken, row.valid_until, terms, row.taken, key=row.completion_key)


def held_spans(
    people: Sequence[int] | None, known_on: date, courses: Collection[int] | None = None
) -> dict[int, dict[int, Sequence[Span]]]:
    """Person → course (of these; None: of all) → the days on which a valid completion is held: what reaches may ask."""
    rows = _known_spans(people, known_on, courses)
    links: dict[tuple[int, int], list[Link]] = {}
    for row in rows:
        links.setdefault((row.person_id, row.course_id), []).append(link_from(row))
    found: dict[int, dict[int, Sequence[Span]]] = {}
    for (person, course), chain_ in links.items():
        found.setdefault(person, {})[course] = valid_spans(chain_)
    return found
