"""What a learner does next: what, by when, why, how long."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.assignments.models import Reason
from stepladder.assignments.paths import Climb, StageClimb, climbs
from stepladder.assignments.queries import RequirementStatus, requirements
from stepladder.core.days import FOREVER
from stepladder.core.requirements import COVERED, LATE, Requirement, Status
from stepladder.learning.queries import CourseView, StepState, course_titles, open_enrolments, views_of
from stepladder.people.models import Person
from stepladder.timetable import kind
from stepladder.timetable.queries import Seat, booked_flag, seats_for
from stepladder.web.templatetags.web import day as written

__all__ = ["NextThing", "PathNow", "UpNext", "up_next"]

ORDER = [Status.LAPSED, Status.OVERDUE, Status.IN_GRACE, Status.DUE_SOON, Status.TO_DO, Status.RENEW]


@dataclass(frozen=True)
class NextThing:
    """One course to do: how it stands, by when, why, and where one goes on."""

    view: CourseView
    status: Status | None
    due: date | None
    description: str
    because: list[str]
    # The seat they have for a step of it; or the step for which they still need one.
    seat: Seat | None = None
    flag: str = ""
    to_book: StepState | None = None
    # Nothing but a path asks for it: it waits for the stages before its own.
    only_by_path: bool = False


@dataclass(frozen=True)
class StageNow:
    """A stage of a path on the way: its number, whether it is done, is on, or opens later, and its courses to do."""

    number: int
    stage: StageClimb
    state: str
    things: list[NextThing]
    titles: list[str]


@dataclass(frozen=True)
class PathNow:
    """A path that one climbs, with what is to do in it."""

    climb: Climb
    stages: list[StageNow]
    description: str

    @property
    def next(self) -> NextThing | None:
        """The course to go on with: the most pressing of the stage one is in."""
        return next((thing for stage in self.stages if stage.state == "on" for thing in stage.things), None)


@dataclass(frozen=True)
class UpNext:
    """All of them, the most pressing first; what belongs to a path stands in it, and only there."""

    things: list[NextThing]
    alone: list[NextThing]
    paths: list[PathNow]

    @property
    def minutes(self) -> int:
        return sum(t.view.progress.minutes_left for t in self.things)

    @property
    def late(self) -> int:
        return sum(t.status in LATE for t in self.things)


def up_next(person: Person) -> UpNext:
    """A person's open places with what is asked of them, in few queries."""
    today = clock.today()
    required = {s.course: s for s in requirements(people=[person.pk], day=today)}
    seats = seats_for([person.pk])
    things = [
        _thing(view, required.get(course := view.enrolment.course_id), today, seats.get((person.pk, course)))
        for view in views_of(open_enrolments(person))
    ]
    things.sort(key=_pressing)
    climbing = climbs(people=[person.pk], day=today)
    titles = course_titles() if climbing else {}
    paths = [_path(climb, things, titles, today) for climb in climbing]
    # A path that is climbed to its top asks for nothing before one of its courses does again.
    paths = [path for path in paths if any(stage.things for stage in path.stages)]
    within = {id(thing) for path in paths for stage in path.stages for thing in stage.things}
    return UpNext(things, [thing for thing in things if id(thing) not in within], paths)


def _path(climb: Climb, things: list[NextThing], titles: dict[int, str], today: date) -> PathNow:
    stages = []
    for number, stage in enumerate(climb.stages, 1):
        keys = {course for course, _ in stage.courses}
        of_path = [thing for thing in things if thing.view.enrolment.course_id in keys]
        waits = climb.edition.is_in_order and number > climb.now
        if waits:
            # What something else asks for as well is open already: it stands by itself.
            of_path = [thing for thing in of_path if thing.only_by_path]
        shown = [titles.get(course, "") for course, _ in stage.courses]
        stages.append(StageNow(number, stage, "done" if stage.is_done else "later" if waits else "on", of_path, shown))
    asked = climb.requirement
    return PathNow(climb, stages, _says_of(asked, today))


def _pressing(thing: NextThing) -> tuple[int, date]:
    rank = ORDER.index(thing.status) if thing.status in ORDER else len(ORDER)
    return rank, thing.due or FOREVER


def _thing(view: CourseView, required: RequirementStatus | None, today: date, seat: Seat | None) -> NextThing:
    to_book = _unbooked(view) if seat is None else None
    if required is None:
        return NextThing(view, None, None, "yours to finish", [], seat, booked_flag(seat, None), to_book)
    requirement = required.requirement
    because = [_because(reason) for reason in required.reasons]
    due = requirement.due
    if requirement.status is Status.IN_GRACE:
        due = requirement.grace_until
    elif requirement.status in {*COVERED, Status.LAPSED}:
        due = requirement.valid_until
    flag = booked_flag(seat, None if requirement.needed_by == FOREVER else requirement.needed_by)
    description, reasons = _describe(required, today), [b for b in because if b]
    only_by_path = all(reason.assignment.path_id for reason in required.reasons)
    return NextThing(view, requirement.status, due, description, reasons, seat, flag, to_book, only_by_path)


def _unbooked(view: CourseView) -> StepState | None:
    """The first session of a course that is owed and not done."""
    owed = (s for s in view.steps if not s.done and s.step.is_obligatory)
    return next((s for s in owed if s.step.module.kind == kind.KIND.name), None)


def _describe(required: RequirementStatus, today: date) -> str:
    return _says_of(required.requirement, today)


def _says_of(requirement: Requirement, today: date) -> str:
    until, due = written(requirement.valid_until), requirement.due
    if requirement.status is Status.RENEW:
        return f"valid to {until} · renew any day now, nothing is lost"
    if requirement.status is Status.CURRENT:
        return f"valid to {until}"
    if requirement.status is Status.IN_GRACE:
        return f"ran out on {until} · excused until {written(requirement.grace_until)}"
    if requirement.status is Status.LAPSED:
        return f"ran out on {until}"
    if due is None or due == FOREVER:
        return "no day set"
    if requirement.status is Status.OVERDUE:
        days = (today - due).days
        return f"{days} day{'s' if days != 1 else ''} late · was due {due:%a} {written(due)}"
    days = (due - today).days
    how_long = "today" if days == 0 else "tomorrow" if days == 1 else f"in {days} days"
    return f"due {due:%a} {written(due)} · {how_long}"


def _because(reason: Reason) -> str:
    said = reason.assignment.message.strip()
    return f"{reason.assignment.name}: {said}" if said else reason.assignment.name
