"""What stands in somebody's catalogue, with all that orders and describes it: in a number of queries that does not grow with it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping, Sequence, Set
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db.models import Count, Q, Sum
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.switches import is_on
from stepladder.assignments.models import PathReason
from stepladder.catalogue.models import Kept, PassedOn, Posted, Rating, Request
from stepladder.catalogue.permissions import found_courses, found_paths, held_reaches
from stepladder.catalogue.switching import OTHERS, PASSING, RATINGS
from stepladder.core.admission import Admission
from stepladder.core.catalogue import LIKE_ME_DAYS, Listed, like_me, order_key, path_minutes, rating
from stepladder.core.catalogue import Rating as Rated
from stepladder.core.days import FOREVER
from stepladder.courses.lengths import course_minutes
from stepladder.courses.models import Course, Edition, Path, PathEdition, Step
from stepladder.courses.paths import stages_of
from stepladder.fact_cache import cached
from stepladder.learning.models import Completion, Enrolment, StepDone, ValiditySpan
from stepladder.library import storage
from stepladder.library.kinds import kind_named
from stepladder.people.models import Person, Placement
from stepladder.people.permissions import person_of
from stepladder.people.queries import valid_on
from stepladder.web.templatetags.web import day as written

__all__ = ["Key", "Thing", "others_like", "stills_of", "things_for", "with_stills"]

# ("course" or "path", its key).
Key = tuple[str, int]


NO_TOPICS: Set[int] = frozenset()
NOT_LISTED = Listed("", date.min)


@dataclass(slots=True)
class Thing:
    """A course, path or module by itself as one person's catalogue has it: read, and then told what is theirs of it."""

    key: Key
    public_id: str
    title: str
    kind: str
    summary: str
    picture: str
    minutes: int
    released_on: date
    admission: str
    binder: str
    # The top topics that it stands under.
    topics: Set[int] = NO_TOPICS
    is_course: bool = True
    # Where the picture of its content is; looked for only where it is shown (with_stills).
    still: str = ""
    posted: Posted | None = None
    passed_by: str = ""
    is_unopened: bool = False
    is_kept: bool = False
    place: str = ""
    is_begun: bool = False
    steps_done: int = 0
    steps: int = 0
    done_on: date | None = None
    runs_out: date | None = None
    is_asked_for: bool = False
    others: int = 0
    rated: Rated | None = None
    listed: Listed = NOT_LISTED

    @property
    def is_done(self) -> bool:
        """Done, and not running out."""
        return self.listed.done

    @property
    def said(self) -> str:
        """What is to be said of it before anything else."""
        first = (
            (self.posted, "on the noticeboard"),
            (self.is_unopened, f"passed on by {self.passed_by}"),
            (self.is_asked_for, "asked for"),
            (self.is_begun and self.steps, f"{self.steps_done} of {self.steps} done"),
            (self.is_begun, "begun"),
            (self.done_on, f"done {written(self.done_on)}"),
            (self.others, f"{self.others} others in your position did it"),
            (self.rated, f"{self.rated.mean} of 5 from {self.rated.raters} people" if self.rated else ""),
            (self.on_asking, "on asking"),
            (self.by_nomination, "your lead names people"),
            (self.is_kept, "kept"),
        )
        return next((words for holds, words in first if holds), "")

    @property
    def on_asking(self) -> bool:
        return self.admission == Admission.ON_APPROVAL

    @property
    def is_assigned_only(self) -> bool:
        return self.admission == Admission.ASSIGNED_ONLY

    @property
    def by_nomination(self) -> bool:
        return self.admission == Admission.BY_NOMINATION


def things_for(account: Any, *, only: Collection[Key] | None = None, are_found: bool = False) -> list[Thing]:
    """Everything in an account's catalogue (or of it these), in the order of the rule. Rule: 14.

    *are_found*: these were looked for in it just now, and need not be held against it again.
    """
    person = person_of(account)
    if person is None:
        return []
    today = clock.today()
    courses = Course.objects.all() if are_found else found_courses(account)
    paths = Path.objects.all() if are_found else found_paths(account)
    if only is not None:
        courses = courses.filter(pk__in=[key for kind, key in only if kind == "course"])
        paths = paths.filter(pk__in=[key for kind, key in only if kind == "path"])
    found = [
        *_courses(courses, None if only is None else {key for kind, key in only if kind == "course"}),
        *_paths(paths),
    ]
    topics = _topics(only)
    mine = _Mine(person, account, today)
    for thing in found:
        thing.topics = topics.get(thing.key, NO_TOPICS)
        mine.tell(thing)
    return sorted(found, key=lambda thing: order_key(thing.listed))


def with_stills(things: Sequence[Thing]) -> list[Thing]:
    """Things that are shown with a picture, with that of their content where they are a module and have none of their own."""
    stills = stills_of([thing.key[1] for thing in things if thing.is_course and not thing.picture])
    for thing in things:
        thing.still = stills.get(thing.key[1], "") if thing.is_course else ""
    return list(things)


def stills_of(courses: Collection[int]) -> dict[int, str]:
    """Of courses that are a module by itself: where the picture of its content is."""
    steps = Step.objects.filter(
        edition__state=Edition.State.RELEASED, edition__course__in=courses, edition__course__alone__isnull=False
    ).select_related("edition__course", "version")
    return {
        step.edition.course_id: f"{reverse('catalogue:still', args=[step.edition.course.public_id])}?v={step.version.number}"
        for step in steps
        if storage.has_derived(step.version, "still.jpg")
    }


def _courses(rows: Any, only: Collection[int] | None) -> list[Thing]:
    released = rows.filter(editions__state=Edition.State.RELEASED)
    columns = released.values_list(
        *("pk", "public_id", "editions__title", "alone__kind", "editions__summary", "picture", "editions__released_on"),
        *("offer__admission", "binder__name"),
    )
    minutes = course_minutes(only)
    return [
        Thing(
            ("course", pk),
            public_id,
            title,
            kind_named(kind).name if kind else "course",
            summary,
            picture,
            minutes.get(pk, 0),
            on or date.min,
            admission or Admission.ASSIGNED_ONLY,
            binder,
        )
        for pk, public_id, title, kind, summary, picture, on, admission, binder in columns
    ]


def _paths(rows: Any) -> list[Thing]:
    found = {path.pk: path for path in rows.select_related("binder", "offer")}
    if not found:
        return []
    editions = list(PathEdition.objects.known_now().filter(path__in=found))
    plans = {edition.path_id: stages_of(edition) for edition in editions}
    minutes = course_minutes({key for stages in plans.values() for stage in stages for key in stage.every})
    things = []
    for edition in editions:
        path, stages = found[edition.path_id], plans[edition.path_id]
        offer = getattr(path, "offer", None)
        keys = [key for stage in stages for key in stage.courses]
        of_choice = [([minutes.get(key, 0) for key in stage.electives], stage.choose) for stage in stages]
        things.append(
            Thing(
                ("path", path.pk),
                path.public_id,
                edition.title,
                f"path of {len(keys) + sum(k for _, k in of_choice)}",
                edition.summary,
                path.picture,
                path_minutes((minutes.get(key, 0) for key in keys), of_choice),
                edition.recorded_on,
                offer.admission if offer else Admission.ASSIGNED_ONLY,
                path.binder.name,
                is_course=False,
            )
        )
    return things


def _topics(only: Collection[Key] | None) -> Mapping[Key, Set[int]]:
    """Thing (of these; None: of all) → the top topics that it stands under: those of its own, and those above them."""
    found: dict[Key, Set[int]] = {}
    # Most things stand under one: those that stand under the same have the same set.
    alone: dict[int, Set[int]] = {}
    for kind, through, column in (
        ("course", Course.topics.through, "course_id"),
        ("path", Path.topics.through, "path_id"),
    ):
        rows = through._default_manager.values_list(column, "topic_id", "topic__parent_id")
        if only is not None:
            rows = rows.filter(**{f"{column}__in": [key for one, key in only if one == kind]})
        for key, topic, parent in rows:
            top = parent or topic
            one = alone.get(top) or alone.setdefault(top, frozenset({top}))
            before = found.get((kind, key))
            found[kind, key] = one if before is None else before | one
    return found


class _Mine:
    """What one person has to do with things: read once for all of them."""

    def __init__(self, person: Person, account: Any, today: date) -> None:
        self.today = today
        self.posted = {_key(row): row for row in _on_board(account, today)}
        self.passed = _passed_to(person) if is_on(PASSING.name) else {}
        self.kept = _keys(Kept.objects.filter(person=person))
        self.asked = _keys(Request.objects.filter(person=person, state=Request.State.WAITS))
        places = Enrolment.objects.filter(person=person, closed_on__isnull=True)
        self.places = {
            course: (public_id, begun is not None and completed is None, edition, key)
            for course, public_id, begun, completed, edition, key in places.order_by("pk").values_list(
                "course_id", "public_id", "begun_at", "completed_at", "edition_id", "pk"
            )
        }
        self.steps = self._steps()
        spans = ValiditySpan.objects.filter(
            person=person, first__lte=today, known_from__lte=today, known_to__gt=today
        ).order_by("first")
        self.held = {
            course: (taken, until, renew)
            for course, taken, until, renew in spans.values_list("course_id", "taken", "valid_until", "renew_from")
        }
        self.climbs = set(
            PathReason.objects.filter(person=person, known_to=FOREVER, last__gte=today).values_list(
                "path_id", flat=True
            )
        )
        self.others = others_like(person, today) if is_on(OTHERS.name) else {}
        self.rated = _ratings() if is_on(RATINGS.name) else {}

    def _steps(self) -> dict[int, tuple[int, int]]:
        """Course begun → how many of its owed steps are done, and how many are owed."""
        begun = {key: (course, edition) for course, (_, is_begun, edition, key) in self.places.items() if is_begun}
        if not begun:
            return {}
        owed: dict[int, set[int]] = defaultdict(set)
        wanted = {edition for _, edition in begun.values()}
        for edition, module in Step.objects.filter(edition__in=wanted, is_obligatory=True).values_list(
            "edition_id", "module_id"
        ):
            owed[edition].add(module)
        done: dict[int, set[int]] = defaultdict(set)
        for place, module in (
            StepDone.objects.known_now().filter(enrolment__in=begun).values_list("enrolment_id", "module_id")
        ):
            done[place].add(module)
        return {
            course: (len(done[key] & owed[edition]), len(owed[edition])) for key, (course, edition) in begun.items()
        }

    def tell(self, thing: Thing) -> None:
        """Say on a thing what the person has to do with it."""
        both, key = thing.key, thing.key[1]
        others, is_done = 0, False
        # Of most things there is nothing to say: each of these is asked only where there is.
        if thing.is_course:
            if key in self.places:
                thing.place, thing.is_begun, _, _ = self.places[key]
                thing.steps_done, thing.steps = self.steps.get(key, (0, 0))
            if key in self.held:
                taken, until, renew = self.held[key]
                is_done = until >= self.today and (renew is None or self.today < renew)
                thing.done_on, thing.runs_out = taken, until if until != FOREVER else None
            others = self.others.get(key, 0)
            thing.others = like_me(others)
        else:
            thing.is_begun = key in self.climbs
        if both in self.passed:
            thing.passed_by, thing.is_unopened = self.passed[both]
        thing.posted, thing.rated = self.posted.get(both), self.rated.get(both)
        thing.is_kept, thing.is_asked_for = both in self.kept, both in self.asked
        is_posted = thing.posted is not None
        thing.listed = Listed(
            thing.title, thing.released_on, is_posted, thing.is_unopened, thing.is_begun, is_done, others
        )


def _passed_to(person: Person) -> dict[Key, tuple[str, bool]]:
    """Thing → who passed it on to somebody last, and whether they have not opened it yet."""
    rows = PassedOn.objects.filter(to=person).order_by("at", "pk")
    columns = ("course_id", "path_id", "by__given_name", "by__family_name", "opened_at")
    return {
        _key_of(course, path): (f"{given} {family}", opened is None)
        for course, path, given, family, opened in rows.values_list(*columns)
    }


def _ratings() -> dict[Key, Rated | None]:
    """Thing → what its raters come to."""
    rows = Rating.objects.values_list("course_id", "path_id").annotate(total=Sum("points"), count=Count("pk"))
    return {_key_of(course, path): rating(total, count) for course, path, total, count in rows}


def _key_of(course: int | None, path: int | None) -> Key:
    return ("course", course) if course is not None else ("path", path or 0)


def _key(row: Any) -> Key:
    return _key_of(row.course_id, row.path_id)


def _keys(rows: Any) -> set[Key]:
    return {_key_of(course, path) for course, path in rows.values_list("course_id", "path_id")}


def _on_board(account: Any, today: date) -> Sequence[Posted]:
    """What is on the noticeboard today for an account, the newest last."""
    whom = Q(reach__isnull=True) | Q(reach__in=held_reaches(account))
    return list(Posted.objects.filter(whom, from_day__lte=today, to_day__gte=today).order_by("from_day", "pk"))


def others_like(person: Person, today: date) -> Mapping[int, int]:
    """Course → how many different other people, placed today at one of somebody's positions, completed it lately. Rule: 14."""
    at = Placement.objects.filter(valid_on(today), person=person, position__isnull=False)
    positions = tuple(sorted(set(at.values_list("position_id", flat=True))))
    if not positions:
        return {}
    counts = cached(
        ("others like", positions, today),
        # By the newest of each: counting what was revoked would read all of two million rows for each page.
        state=lambda: tuple(_newest(kind) for kind in (Completion, Placement)),
        read=lambda: _done_at(positions, today),
    )
    own = _recent(today).filter(person=person).values_list("course_id", flat=True).distinct()
    found = dict(counts)
    for course in own:
        found[course] = found.get(course, 1) - 1
    return found


def _newest(kind: type[Completion] | type[Placement]) -> tuple[int, str] | None:
    found: tuple[int, str] | None = kind.objects.order_by("-pk").values_list("pk", "public_id").first()
    return found


def _recent(today: date) -> Any:
    return Completion.objects.known_now().filter(day__gt=today - timedelta(days=LIKE_ME_DAYS), day__lte=today)


def _done_at(positions: Sequence[int], today: date) -> dict[int, int]:
    placed = Placement.objects.filter(valid_on(today), position__in=positions).values("person")
    rows = _recent(today).filter(person__in=placed).values_list("course_id")
    return dict(rows.annotate(n=Count("person", distinct=True)).order_by())
