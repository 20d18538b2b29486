"""Reading one thing of the catalogue, requests, and the noticeboard."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from django.db.models import Prefetch, QuerySet
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.switches import is_on
from stepladder.assignments.wishing import running_wish
from stepladder.catalogue.actions.keeping import may_rate
from stepladder.catalogue.circles import circles_for
from stepladder.catalogue.models import Decider, PassedOn, Posted, Rating, Request
from stepladder.catalogue.permissions import found_courses, found_paths, held_reaches, of_choice
from stepladder.catalogue.switching import PASSING, RATINGS
from stepladder.catalogue.things import Thing, stills_of, things_for, with_stills
from stepladder.core.admission import ask_again_from, next_circle_on
from stepladder.core.sequence import Part
from stepladder.courses.lengths import course_minutes
from stepladder.courses.models import Course, CourseState, Edition, Offer, Path, PathEdition, Step
from stepladder.courses.offers import offer_of
from stepladder.courses.paths import StagePlan, edition_of, stages_of
from stepladder.courses.queries import terms_in_words
from stepladder.courses.skills import Towards, towards
from stepladder.learning.actions import missing_prerequisites
from stepladder.library.details import LANGUAGES
from stepladder.library.kinds import kind_named
from stepladder.people.models import Person
from stepladder.web.templatetags.web import minutes as minutes_in_words

__all__ = [
    "OnBoard",
    "OneThing",
    "StageOf",
    "StepOf",
    "WaitingRequest",
    "all_posted",
    "find_thing",
    "one_thing",
    "opens_at",
    "own_requests",
    "posted_for",
    "released_thing",
    "stages_in_full",
    "to_decide",
    "to_decide_count",
]


def find_thing(account: Any, public_id: str) -> Course | Path | None:
    """The course or path of that public id, where it stands in the account's catalogue."""
    course = found_courses(account).select_related("binder__owner", "alone").filter(public_id=public_id).first()
    return course or found_paths(account).select_related("binder__owner").filter(public_id=public_id).first()


def opens_at(course: Course, place: str) -> str:
    """Where somebody with a *place* (its public id) goes on: a module by itself is opened, its course has nothing else to show."""
    if course.alone is not None:
        return reverse("playing:step", args=[place, course.alone.public_id])
    return reverse("playing:course", args=[place])


@dataclass(frozen=True)
class StepOf:
    """A step as one reads it before one is in: its title, kind and minutes, and what it is where it is not owed."""

    title: str
    kind: str
    minutes: int
    how: str = ""


@dataclass(frozen=True)
class StageOf:
    """A stage of a path with its courses, and those to choose from: (course, minutes)."""

    plan: StagePlan
    courses: list[tuple[Course, int]]
    electives: list[tuple[Course, int]]


@dataclass(frozen=True)
class OneThing:
    """A thing's page: what, why, how long, what before, and how one stands with it."""

    thing: Thing
    of: Course | Path
    offer: Offer
    language: str
    outcome: str = ""
    description: str = ""
    terms: str = ""
    skills: list[Towards] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    before: list[str] = field(default_factory=list)
    steps: list[StepOf] = field(default_factory=list)
    stages: list[StageOf] = field(default_factory=list)
    is_wished: bool = False
    # The path of theirs that leaves it to their choice.
    of_choice_in: str = ""
    request: Request | None = None
    # Refused lately: from when one may ask again.
    again_from: date | None = None
    deciders: list[str] = field(default_factory=list)
    may_rate: bool = False
    may_pass_on: bool = True
    own_rating: Rating | None = None
    passed: Sequence[PassedOn] = ()

    @property
    def opens_at(self) -> str:
        """Where one goes on who has a place in it; none for others, and for a path."""
        return opens_at(self.of, self.thing.place) if isinstance(self.of, Course) and self.thing.place else ""

    @property
    def credits(self) -> str:
        """What it gives towards skills: “2 of 4 for Deck work, level 2; …”."""
        return "; ".join(f"{one.said} for {one.level}" for one in self.skills)

    @property
    def facts(self) -> str:
        """What it is, how long, for whom and in which language: “Course, 3 h 20, for a first look”."""
        level = self.offer.get_level_display() if self.offer.level else ""
        length = minutes_in_words(self.thing.minutes) if self.thing.minutes else ""
        language = f"in {self.language}" if self.language else ""
        return ", ".join(filter(None, (self.thing.kind.capitalize(), length, level, language)))


def one_thing(account: Any, of: Course | Path, person: Person) -> OneThing | None:
    """The page of a course or path for somebody; None where it is not in their catalogue."""
    kind = "course" if isinstance(of, Course) else "path"
    found = things_for(account, only=[(kind, of.pk)])
    if not found:
        return None
    offer = offer_of(of)
    filters = {kind: of, "person": person}
    request = Request.objects.filter(**filters).order_by("-asked_at", "-pk").first()
    words: dict[str, Any] = _course_words(of, person) if isinstance(of, Course) else _path_words(of)
    return OneThing(
        with_stills(found)[0],
        of,
        offer,
        LANGUAGES.get(offer.language, ""),
        is_wished=running_wish(person, of) is not None,
        of_choice_in=of_choice(account).get(of.pk, "") if isinstance(of, Course) else "",
        request=request,
        again_from=_again_from(request),
        deciders=_asked(request),
        may_rate=is_on(RATINGS.name) and may_rate(person, of),
        may_pass_on=is_on(PASSING.name),
        own_rating=Rating.objects.filter(**filters).first(),
        passed=_passed(kind, of, person),
        **words,
    )


def _passed(kind: str, of: Course | Path, person: Person) -> list[PassedOn]:
    """Who passed a thing on to somebody."""
    if not is_on(PASSING.name):
        return []
    return list(PassedOn.objects.filter(**{kind: of, "to": person}).select_related("by").order_by("at"))


def _again_from(request: Request | None) -> date | None:
    if request is None or request.state != Request.State.REFUSED or request.may_ask_again or not request.decided_on:
        return None
    again = ask_again_from(request.decided_on)
    return again if clock.today() < again else None


def _asked(request: Request | None) -> list[str]:
    """Who has been asked to decide on what waits, by name."""
    if request is None or request.state != Request.State.WAITS:
        return []
    rows = Decider.objects.filter(request=request).order_by("circle", "account__name")
    return list(rows.values_list("account__name", flat=True))


def _course_words(course: Course, person: Person) -> dict[str, Any]:
    steps = Prefetch("steps", Step.objects.select_related("module").order_by("-part", "place"))
    edition = Edition.objects.prefetch_related(steps).get(course=course, state=Edition.State.RELEASED)
    return {
        "outcome": edition.outcome,
        "description": edition.description,
        "terms": terms_in_words(course),
        "skills": towards([([course.pk], (), 0)]),
        "missing": missing_prerequisites(person, course),
        "before": list(course.prerequisites.order_by("title").values_list("title", flat=True)),
        "steps": [
            StepOf(step.title, kind_named(step.module.kind).name, step.module.minutes, _how(step))
            for step in edition.steps.all()
        ],
    }


def _how(step: Step) -> str:
    if step.part == Part.ENTRY:
        return "entry test, for who knows it already"
    return "" if step.is_obligatory else "of choice"


def _path_words(path: Path) -> dict[str, Any]:
    edition = edition_of(path)
    if edition is None:
        return {"stages": []}
    plans = stages_of(edition)
    return {
        "stages": stages_in_full(edition),
        "skills": towards([(plan.courses, plan.electives, plan.choose) for plan in plans]),
    }


def stages_in_full(edition: PathEdition) -> list[StageOf]:
    """The stages of an edition with their courses and how long each takes."""
    plans = stages_of(edition)
    keys = [key for plan in plans for key in plan.every]
    courses, minutes = Course.objects.in_bulk(keys), course_minutes(keys)
    return [
        StageOf(
            plan,
            [(courses[key], minutes.get(key, 0)) for key in plan.courses if key in courses],
            [(courses[key], minutes.get(key, 0)) for key in plan.electives if key in courses],
        )
        for plan in plans
    ]


def to_decide(account: Any) -> QuerySet[Request]:
    """The requests that wait for an account's decision, who asked first first."""
    rows = policy.visible(account, "decide", Request.objects.filter(state=Request.State.WAITS))
    return rows.select_related("person", "course__binder", "path__binder").order_by("asked_at", "pk")


def to_decide_count(account: Any) -> int:
    """How many requests wait for an account's decision."""
    return to_decide(account).count()


@dataclass(frozen=True)
class WaitingRequest:
    """One's own request: who is asked, and when the next are asked as well."""

    request: Request
    deciders: list[str]
    next_on: date | None


def own_requests(person: Person) -> list[WaitingRequest]:
    """What somebody asks for and nobody has decided yet."""
    rows = list(Request.objects.filter(person=person, state=Request.State.WAITS).select_related("course", "path"))
    if not rows:
        return []
    today = clock.today()
    names: dict[int, list[str]] = {}
    deciders = Decider.objects.filter(request__in=rows).order_by("circle", "account__name")
    for key, name in deciders.values_list("request_id", "account__name"):
        names.setdefault(key, []).append(name)
    count = len(circles_for(person, today))
    return [WaitingRequest(r, names.get(r.pk, []), next_circle_on(r.asked_on, today, of=count)) for r in rows]


def released_thing(public_id: str) -> Course | Path | None:
    """The released course or path of that public id, whoever may find it."""
    released = {"public_id": public_id, "state": CourseState.RELEASED}
    return Course.objects.filter(**released).first() or Path.objects.filter(**released).first()


def all_posted(today: date) -> list[Posted]:
    """What is on the noticeboard, or will be, the newest first; what is over is left out."""
    rows = Posted.objects.filter(to_day__gte=today).select_related("course", "path", "reach")
    return list(rows.order_by("from_day", "pk"))


@dataclass(frozen=True)
class OnBoard:
    """Something on the noticeboard as its page shows it: with the picture of its content, where it has one."""

    posted: Posted
    still: str


def posted_for(account: Any) -> list[OnBoard]:
    """What is on the noticeboard today for an account, of what it may find; the newest first."""
    today = clock.today()
    rows = Posted.objects.filter(from_day__lte=today, to_day__gte=today).select_related("course", "path")
    held = set(held_reaches(account)) if rows else set()
    meant = [row for row in rows if row.reach_id is None or row.reach_id in held]
    if not meant:
        return []
    in_courses, in_paths = ([key for row in meant if (key := getattr(row, name))] for name in ("course_id", "path_id"))
    courses = set(found_courses(account).filter(pk__in=in_courses).values_list("pk", flat=True))
    paths = set(found_paths(account).filter(pk__in=in_paths).values_list("pk", flat=True))
    shown = [row for row in meant if row.course_id in courses or row.path_id in paths]
    stills = stills_of(sorted(courses))
    return [OnBoard(row, stills.get(row.course_id or 0, "")) for row in shown]
