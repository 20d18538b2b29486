"""Reading courses."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import Count, F, Max, Q, QuerySet

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.days import add
from stepladder.core.sequence import Part, Progress, progress
from stepladder.core.validity import Terms
from stepladder.courses.checks import Draft, Finding, check_release, small_is_possible
from stepladder.courses.models import Course, CourseState, CourseTerms, Edition, Step
from stepladder.courses.outline import outline_of, terms_history
from stepladder.courses.picking import MOST_CHOICES
from stepladder.courses.planned import Planned, planned_of
from stepladder.library.finding import Filters, first_rows
from stepladder.library.kinds import kind_named
from stepladder.library.models import Module
from stepladder.search.words import words_of

__all__ = [
    "CourseSheet",
    "PartView",
    "StepView",
    "course_counts",
    "course_sheet",
    "courses_of_modules",
    "courses_seen",
    "list_rows",
    "modules_by_ids",
    "pickable",
    "shorter_equivalents",
    "terms_in_words",
    "terms_on",
]


def courses_seen(account: Any, *, state: str = "", text: str = "") -> QuerySet[Course]:
    """The courses one may see on the Courses rung; modules that are offered by themselves are in the library."""
    courses = policy.visible(account, "see courses", Course.objects.select_related("binder").filter(alone__isnull=True))
    if state == "draft":
        courses = courses.filter(editions__state=Edition.State.DRAFT)
    elif state:
        courses = courses.filter(state=state)
    else:
        courses = courses.exclude(state=CourseState.WITHDRAWN)
    for word in words_of(text):
        courses = courses.filter(Q(title__icontains=word) | Q(editions__summary__icontains=word)).distinct()
    return courses


def course_counts(account: Any) -> dict[str, int]:
    """How many courses there are in each state, for the index."""
    rows = policy.visible(account, "see courses", Course.objects.filter(alone__isnull=True)).aggregate(
        all=Count("pk", filter=~Q(state=CourseState.WITHDRAWN), distinct=True),
        draft=Count("pk", filter=Q(editions__state=Edition.State.DRAFT), distinct=True),
        released=Count("pk", filter=Q(state=CourseState.RELEASED), distinct=True),
        withdrawn=Count("pk", filter=Q(state=CourseState.WITHDRAWN), distinct=True),
    )
    return {key: int(value) for key, value in rows.items()}


@dataclass(frozen=True)
class StepView:
    """A step as the course sheet shows it."""

    step: Step
    mark: str
    detail: str
    done_when: str
    newest: int
    minutes: int

    @property
    def has_newer(self) -> bool:
        return self.newest > self.step.version.number


@dataclass(frozen=True)
class PartView:
    """A part with its steps from top to bottom."""

    part: Part
    title: str
    order: str
    steps: list[StepView]

    @property
    def minutes(self) -> int:
        return sum(view.minutes for view in self.steps)


@dataclass(frozen=True)
class CourseSheet:
    """What a course's sheet shows."""

    course: Course
    edition: Edition
    released: Edition | None
    parts: list[PartView]
    findings: list[Finding]
    terms: Terms
    ahead: Progress
    small_refused_by: list[str]

    @property
    def planned(self) -> Planned | None:
        """The release on a day to come."""
        return planned_of(self.edition) if self.is_draft else None

    @property
    def entry_test(self) -> bool:
        """Whether it has one, so that steps say whether it spares them."""
        return any(part.part is Part.ENTRY and part.steps for part in self.parts)

    @property
    def is_draft(self) -> bool:
        return self.edition.state == Edition.State.DRAFT

    @property
    def missing(self) -> int:
        return sum(not finding.ok for finding in self.findings)


def _steps(edition: Edition) -> list[Step]:
    # The order is said again: a query that groups does not take it from the model.
    return list(
        edition.steps.select_related("module", "module__binder", "version")
        .annotate(newest=Max("module__versions__number"))
        .order_by("-part", "place")
    )


def course_sheet(course: Course, *, released: bool = False) -> CourseSheet:
    """The draft if there is one (or the released edition where asked for), with what it lacks for release."""
    editions = {e.state: e for e in course.editions.exclude(state=Edition.State.SUPERSEDED)}
    live = editions.get(Edition.State.RELEASED)
    draft = editions.get(Edition.State.DRAFT)
    edition = live if (released or draft is None) and live else draft
    assert edition is not None
    steps = _steps(edition)
    parts = [_part(edition, part, steps) for part in Part]
    findings: list[Finding] = []
    small_refused_by: list[str] = []
    if edition.state == Edition.State.DRAFT:
        findings = check_release(Draft(course, edition, steps, list(course.prerequisites.all())))
        old_steps = list(live.steps.select_related("module")) if live else []
        small_refused_by = small_is_possible(live, old_steps, edition, steps)
    return CourseSheet(
        course,
        edition,
        live,
        parts,
        findings,
        terms_on(course),
        progress(outline_of(edition, steps), {}),
        small_refused_by,
    )


def mark_of(part: Part, n: int) -> str:
    """What stands before a step, the n-th of its part from 0: numbers for the main part, letters before it."""
    return {Part.ENTRY: "?", Part.PREPARATION: chr(ord("a") + n % 26)}.get(part, str(n + 1))


PART_TITLES = {Part.ENTRY: "Entry test", Part.PREPARATION: "Preparation", Part.MAIN: "Main part"}


def _part(edition: Edition, part: Part, steps: Sequence[Step]) -> PartView:
    order = edition.preparation_order if part is Part.PREPARATION else edition.main_order
    title = PART_TITLES[part]
    views = []
    for n, step in enumerate(s for s in steps if s.part == part):
        kind = kind_named(step.module.kind)
        mark = mark_of(part, n)
        newest: int = step.newest  # type: ignore[attr-defined]
        views.append(
            StepView(
                step,
                mark,
                kind.describe(step.version.data),
                kind.done_when(step.version.data),
                newest,
                step.module.minutes,
            )
        )
    return PartView(part, title, order, views)


def terms_in_words(course: Course) -> str:
    """How long a completion counts, as a learner reads it before the course."""
    terms = terms_on(course)
    if not terms.expires:
        return "Done once, it counts for ever."
    length = "to the end of the calendar year" if terms.calendar_year else f"for {terms.validity}"
    early = f"; it may be renewed from {terms.window_days} days before" if terms.window_days else ""
    return f"Done, it counts {length}{early}."


def terms_on(course: Course) -> Terms:
    """The terms in force today."""
    return terms_history(CourseTerms.objects.known_now().filter(course=course)).on(clock.today())


def pickable(
    account: Any, course: Course, *, text: str, kind: str, start: int = 0
) -> list[tuple[Module, str, int | None]]:
    """Modules for the picker, MOST_CHOICES of them from *start* on, with what their kind says of them, and the place they already
    have in the draft (None: not in it)."""
    draft = course.editions.filter(state=Edition.State.DRAFT).first()
    places = dict(draft.steps.values_list("module_id", "place")) if draft else {}
    rows = first_rows(account, Filters(text=text, kind=kind, state="released"), limit=MOST_CHOICES, start=start)
    return [(row.module, row.description, places.get(row.module.pk)) for row in rows]


def list_rows(account: Any, *, state: str, text: str) -> QuerySet[Course]:
    """Courses for the list with the numbers of their editions, steps owed and minutes."""
    return courses_seen(account, state=state, text=text).annotate(
        released_number=Max("editions__number", filter=Q(editions__state=Edition.State.RELEASED)),
        draft_number=Max("editions__number", filter=Q(editions__state=Edition.State.DRAFT)),
        step_count=Count(
            "editions__steps",
            filter=Q(editions__state=F("state")) | Q(editions__state=Edition.State.DRAFT, state=CourseState.DRAFT),
            distinct=True,
        ),
    )


def modules_by_ids(account: Any, public_ids: Sequence[str]) -> list[Module]:
    """Modules one may see, in the order asked for."""
    shown = policy.visible(account, "use modules", Module.objects.select_related("binder"))
    found = {m.public_id: m for m in shown.filter(public_id__in=list(public_ids))}
    return [found[key] for key in public_ids if key in found]


def shorter_equivalents(course: Course) -> list[str]:
    """A warning for each course that counts as this one but lasts less long. Rule: 4."""
    today = clock.today()
    terms = terms_on(course)
    warnings = []
    for other in course.satisfied_by.all():
        other_terms = terms_on(other)
        if other_terms.expires and (not terms.expires or _length(other_terms, today) < _length(terms, today)):
            warnings.append(
                f"“{other.title}” is valid for less long than “{course.title}”, yet counts for as long here."
            )
    return warnings


def _length(terms: Terms, day: date) -> int:
    if terms.calendar_year:
        return 365
    return (add(day, terms.validity) - day).days if terms.validity else 0


def courses_of_modules() -> dict[int, list[int]]:
    """Module → the courses that an edition of has it as a step."""
    found: dict[int, list[int]] = defaultdict(list)
    pairs = Step.objects.order_by().values_list("module", "edition__course").distinct()
    for module, course in pairs:
        found[module].append(course)
    return found
