"""Everything that writes learning paths."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.db.models import Max
from django.utils.translation import ngettext

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core import paths as core
from stepladder.core.admission import Admission
from stepladder.courses.checks import Finding
from stepladder.courses.errors import CannotRelease, CourseError
from stepladder.courses.keeping import keeper_of
from stepladder.courses.models import Course, CourseState, Offer, Path, PathEdition
from stepladder.facts import Fact
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Binder
from stepladder.web.sheets import touch

__all__ = [
    "PATTERNS",
    "Pattern",
    "StagePlan",
    "change_stages",
    "check_path",
    "copy_path",
    "create_path",
    "edit_path",
    "edition_of",
    "next_number",
    "plan_of",
    "release_path",
    "stages_of",
    "withdraw_path",
]


@dataclass(frozen=True)
class StagePlan:
    """A stage: its title, what one will be able to do after it, the days after the start it is to be done in, its courses, and the
    electives, of which one does *choose*. *key* names it in its draft, wherever it is moved; it is no part of what is asked."""

    title: str = ""
    outcome: str = ""
    window_days: int | None = None
    courses: list[int] = field(default_factory=list)
    electives: list[int] = field(default_factory=list)
    choose: int = 0
    key: str = field(default="", compare=False)

    @property
    def every(self) -> list[int]:
        """Its courses, then its electives."""
        return self.courses + self.electives

    @property
    def core(self) -> core.Stage:
        return core.Stage(tuple(self.courses), self.window_days, tuple(self.electives), self.choose)

    def stored(self) -> dict[str, Any]:
        told = {
            "title": self.title,
            "outcome": self.outcome,
            "window_days": self.window_days,
            "courses": self.courses,
        }
        # Editions without electives are as they were stored before there were any: no draft differs by that alone.
        return told | {"electives": self.electives, "choose": self.choose} if self.electives else told


def stages_of(row: Path | PathEdition) -> list[StagePlan]:
    """The stages of a draft or an edition. One that was drawn before stages had keys is named by where it stands."""
    return [StagePlan(**{"key": str(number), **stage}) for number, stage in enumerate(row.stages)]


def _drafted(stages: Sequence[StagePlan]) -> list[dict[str, Any]]:
    """The stages as a draft keeps them: each with its key, given to those that have none yet."""
    return [{**stage.stored(), "key": stage.key or new_public_id()} for stage in stages]


def plan_of(edition: PathEdition) -> core.Plan:
    """The core's plan of an edition."""
    return core.Plan(tuple(stage.core for stage in stages_of(edition)), edition.is_in_order)


def edition_of(path: Path) -> PathEdition | None:
    """What the path asks today; None while it was never released."""
    found: PathEdition | None = PathEdition.objects.known_now().filter(path=path).first()
    return found


@transaction.atomic
def copy_path(*, path: Path, title: str, binder: Binder, by: Actor, with_assignments: bool = False) -> Path:
    """A draft like a path as it stands on its sheet at that moment, under another title; *with_assignments*: once it is released, it
    is asked of whomever the path is asked of then."""
    policy.require(by, "see paths", path)
    policy.require(by, "build paths", binder)
    if with_assignments:
        policy.require(by, "assign")
    # As it is stored: another tab may be drawing it. What is drawn after this moment is the other's alone.
    path.refresh_from_db(from_queryset=Path.objects.select_for_update())
    made = Path.objects.create(
        title=title,
        binder=binder,
        kept_by=keeper_of(by, binder),
        summary=path.summary,
        is_in_order=path.is_in_order,
        stages=path.stages,
        asked_like=path if with_assignments else None,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    _offer_to_own(made)
    made.topics.set(path.topics.all())
    made.tags.set(path.tags.all())
    record("copy_path", by=by, about=about(made), data={"of": path.title})
    return made


def next_number(path: Path) -> int:
    """The number of the edition to come. One that was taken back keeps its own: no two are called alike."""
    last = PathEdition.objects.filter(path=path).aggregate(last=Max("number"))["last"]
    return int(last or 0) + 1


def about(path: Path) -> Named:
    """The path as the journal names it."""
    return Named("path", path.public_id, path.title)


@dataclass(frozen=True)
class Pattern:
    """Stages to start a path from."""

    label: str
    stages: tuple[StagePlan, ...]
    is_in_order: bool = True


def _stages(*named: tuple[str, int]) -> tuple[StagePlan, ...]:
    return tuple(StagePlan(title, window_days=days) for title, days in named)


PATTERNS = {
    "": Pattern("one stage, empty", (StagePlan(),)),
    "days": Pattern("30, 60, 90 days", _stages(("The first month", 30), ("The second", 60), ("The third", 90))),
    "arrival": Pattern(
        "the first day, week and month", _stages(("The first day", 0), ("The first week", 7), ("The first month", 30))
    ),
    "worth": Pattern("worth knowing: one stage, in any order, without days", (StagePlan("Worth knowing"),), False),
}


@transaction.atomic
def create_path(*, title: str, binder: Binder, by: Actor, pattern: str = "") -> Path:
    """A path with the stages of a pattern, empty. Nobody sees it before its release."""
    policy.require(by, "build paths", binder)
    like = PATTERNS[pattern]
    path = Path.objects.create(
        title=title,
        binder=binder,
        kept_by=keeper_of(by, binder),
        is_in_order=like.is_in_order,
        stages=_drafted(like.stages),
        changed_at=clock.now(),
        changed_by=by.name,
    )
    _offer_to_own(path)
    record("create_path", by=by, about=about(path))
    return path


def _offer_to_own(path: Path) -> None:
    """What is built for one's own people is found by them from its release on, unless its builder says otherwise."""
    if path.kept_by is not None:
        Offer.objects.create(path=path, admission=Admission.OPEN)


@transaction.atomic
def edit_path(*, path: Path, revision: int | None, title: str, summary: str, is_in_order: bool, by: Actor) -> Path:
    """Title, summary, and whether the stages have an order. Raises NewerChange."""
    policy.require(by, "build paths", path)
    touch(path, revision=revision, by_name=by.name)
    path.title, path.summary, path.is_in_order = title, summary, is_in_order
    path.save(update_fields=["title", "summary", "is_in_order", "revision", "changed_at", "changed_by"])
    record("edit_path", by=by, about=about(path))
    return path


@transaction.atomic
def change_stages(*, path: Path, stages: Sequence[StagePlan], by: Actor) -> Path:
    """The stages of the draft, whole. Raises CourseError where a course stands in it twice."""
    policy.require(by, "build paths", path)
    seen: set[int] = set()
    for stage in stages:
        for key in stage.every:
            if key in seen:
                raise CourseError(
                    f"“{Course.objects.get(pk=key).title}” is in this path already. Each course stands in it once."
                )
            seen.add(key)
    path.stages = _drafted(stages)
    path.changed_at, path.changed_by = clock.now(), by.name
    path.save(update_fields=["stages", "changed_at", "changed_by"])
    record("change_stages", by=by, about=about(path))
    return path


def _says_what_for(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    if path.summary.strip():
        return Finding(True, "says what it is for")
    return Finding(False, "No summary yet: say in a sentence or two what it leads to.")


def _stages_are_named(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    # One stage without days is a list of things worth knowing: what it is for stands above it.
    is_list = len(stages) == 1 and stages[0].window_days is None
    for number, stage in enumerate(stages, 1):
        if not stage.title.strip() or not (is_list or stage.outcome.strip()):
            return Finding(False, f"Stage {number} needs a title, and what one will be able to do after it.")
    if not stages:
        return Finding(False, "No stage yet: add one.")
    text = ngettext("%d stage, named", "%d stages, each named", len(stages))
    return Finding(True, text % len(stages))


def _stages_have_courses(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    empty = next((number for number, stage in enumerate(stages, 1) if not stage.every), 0)
    if empty:
        return Finding(False, f"Stage {empty} has no course yet: add one, or take the stage out.")
    return Finding(True, "every stage has courses")


def _choices_are_real(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    found = [(number, stage) for number, stage in enumerate(stages, 1) if stage.electives]
    for number, stage in found:
        of = len(stage.electives)
        if not 0 < stage.choose <= of:
            return Finding(False, f"Stage {number}: say how many of its {of} electives one chooses.")
        if stage.choose == of:
            word = "its elective" if of == 1 else f"all {of} electives"
            return Finding(False, f"Stage {number} asks for {word}: make them obligatory, or add one to choose from.")
    return Finding(True, "electives leave a choice" if found else "no electives")


def _courses_are_released(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    waiting = [course.title for course in courses.values() if course.state != CourseState.RELEASED]
    if waiting:
        return Finding(False, f"“{waiting[0]}” is not released: release it, or take it out.")
    return Finding(True, "every course is released")


def _windows_follow(path: Path, stages: list[StagePlan], courses: dict[int, Course]) -> Finding:
    days = 0
    for number, stage in enumerate(stages, 1):
        # Stages without an order may be due in any; one behind another can never be due before it.
        if stage.window_days is not None and path.is_in_order and stage.window_days < days:
            return Finding(False, f"Stage {number} would be due before the one above it: give it {days} days or more.")
        days = max(days, stage.window_days or 0)
    return Finding(True, "the stages’ days follow each other")


# Every check is asked; adding one is adding its name.
PATH_CHECKS: list[Callable[[Path, list[StagePlan], dict[int, Course]], Finding]] = [
    _says_what_for,
    _stages_are_named,
    _stages_have_courses,
    _choices_are_real,
    _courses_are_released,
    _windows_follow,
]


def check_path(path: Path) -> list[Finding]:
    """What a draft lacks for release, and what it has."""
    stages = stages_of(path)
    courses = Course.objects.in_bulk([key for stage in stages for key in stage.every])
    return [check(path, stages, courses) for check in PATH_CHECKS]


@transaction.atomic
def release_path(*, path: Path, by: Actor) -> PathEdition:
    """People are asked for the draft from now on. Raises CannotRelease with everything that is missing."""
    policy.require(by, "build paths", path)
    # As it is stored: what another tab has drawn since is not to be released unseen by the checks.
    path.refresh_from_db(from_queryset=Path.objects.select_for_update())
    if missing := [finding.text for finding in check_path(path) if not finding.ok]:
        raise CannotRelease(path.title, missing)
    before = edition_of(path)
    rows: list[Fact] = []
    if before is not None:
        before.revoke()
        rows.append(before)
    edition = PathEdition.objects.create(
        path=path,
        number=next_number(path),
        title=path.title,
        summary=path.summary,
        is_in_order=path.is_in_order,
        stages=[stage.stored() for stage in stages_of(path)],
    )
    path.state = CourseState.RELEASED
    path.save(update_fields=["state"])
    entry = record("release_path", by=by, about=about(path), data={"number": edition.number}, rows=[*rows, edition])
    events.announce(events.PathReleased(path.pk), entry.act)
    return edition


@transaction.atomic
def withdraw_path(*, path: Path, by: Actor) -> None:
    """No longer to be assigned; who climbs it goes on."""
    policy.require(by, "build paths", path)
    path.state = CourseState.WITHDRAWN
    path.save(update_fields=["state"])
    record("withdraw_path", by=by, about=about(path))
