"""What a learner does next: what, by when, why, how long."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.assignments.models import PathReason, Reason
from stepladder.assignments.paths import Climb, StageClimb, climbs
from stepladder.assignments.queries import RequirementStatus, requirements
from stepladder.core.days import FOREVER
from stepladder.core.requirements import COVERED, LATE, Requirement, Status
from stepladder.courses.models import Course
from stepladder.learning.actions import opening_later
from stepladder.learning.models import Completion
from stepladder.learning.queries import CourseView, StepState, course_titles, open_enrolments, views_of
from stepladder.people.models import Person, Placement
from stepladder.people.queries import first_days, valid_on
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
    # The paths that ask for it, each with its stage: “The first 90 days, stage 1”.
    of_paths: tuple[str, ...] = ()


@dataclass(frozen=True)
class StageCourse:
    """A course of a stage: how it stands, and its page where it has one."""

    title: str
    status: Status
    place: str


@dataclass(frozen=True)
class StageElective:
    """A course that one may choose in a stage: how it counts, None while it is not done; its page where one is in it, else where one
    takes it up."""

    title: str
    status: Status | None
    place: str
    public_id: str


@dataclass(frozen=True)
class StageNow:
    """A stage of a path on the way: its number, whether it is done, is on, or opens later, its courses, and what one may choose."""

    number: int
    stage: StageClimb
    state: str
    courses: list[StageCourse]
    electives: list[StageElective]


@dataclass(frozen=True)
class PathNow:
    """A path that one climbs, stage by stage; what is to do in it stands among the things to do."""

    climb: Climb
    stages: list[StageNow]
    description: str
    because: list[str]


@dataclass(frozen=True)
class UpNext:
    """What is to do, the most pressing first, each course once; the paths it belongs to; and what was done last.

    *starts_on*: somebody to come reads what will be asked of them from then on. *waiting*: the courses that they may not begin before.
    """

    things: list[NextThing]
    paths: list[PathNow]
    done: list[Completion]
    starts_on: date | None = None
    starts_as: str = ""
    waiting: frozenset[int] = frozenset()

    @property
    def waits(self) -> bool:
        """Whether none of it may be begun before the first day."""
        return bool(self.waiting) and all(thing.view.enrolment.course_id in self.waiting for thing in self.things)

    @property
    def first(self) -> NextThing | None:
        return self.things[0] if self.things else None

    @property
    def rest(self) -> list[NextThing]:
        return self.things[1:]

    @property
    def minutes(self) -> int:
        return sum(t.view.progress.minutes_left for t in self.things)

    @property
    def late(self) -> int:
        return sum(t.status in LATE for t in self.things)


# So many of what was done last stand below what is to do; the rest is in the record.
DONE_SHOWN = 5


def up_next(person: Person) -> UpNext:
    """A person's open places with what is asked of them, in few queries."""
    today = clock.today()
    starts_on = first_days([person.pk], today).get(person.pk)
    day = starts_on or today
    required = {s.course: s for s in requirements(people=[person.pk], day=day)}
    seats = seats_for([person.pk], today)
    climbing = climbs(people=[person.pk], day=day)
    things = [
        _thing(view, required.get(course := view.enrolment.course_id), today, seats.get((person.pk, course)), climbing)
        for view in views_of(open_enrolments(person))
    ]
    # What only a path asks for, and waits for the stages before its own, stands in the path alone.
    waiting = {c for climb in climbing if climb.edition.is_in_order for c in _later(climb)}
    open_now = [t for t in things if not (t.only_by_path and t.view.enrolment.course_id in waiting)]
    open_now.sort(key=_pressing)
    titles = course_titles() if climbing else {}
    # Where one takes up what one may choose.
    found_at = dict(
        Course.objects.filter(
            pk__in={c for one in climbing for stage in one.stages for c, _ in stage.electives}
        ).values_list("pk", "public_id")
    )
    places = {thing.view.enrolment.course_id: thing.view.enrolment.public_id for thing in things}
    # A path that is climbed to its top asks for nothing before one of its courses does again.
    paths = [_path(climb, titles, places, found_at, today) for climb in climbing if climb.done < climb.owed]
    done = Completion.objects.known_now().filter(person=person, enrolment__isnull=False)
    return UpNext(
        open_now,
        paths,
        list(done.select_related("edition", "enrolment").order_by("-day", "-pk")[:DONE_SHOWN]),
        starts_on,
        _starts_as(person, starts_on),
        opening_later([thing.view.enrolment.course_id for thing in open_now]) if starts_on else frozenset(),
    )


def _starts_as(person: Person, first: date | None) -> str:
    """“Deckhand, Dunlin”: what somebody to come will be on their first day."""
    if first is None:
        return ""
    places = Placement.objects.filter(valid_on(first), person=person).select_related("unit", "position")
    named = [[node.name for node in (p.position, p.unit) if node] for p in places.order_by("from_day", "pk")]
    return "; ".join(", ".join(names) for names in named)


def _later(climb: Climb) -> set[int]:
    """The courses of stages that do not open yet."""
    later = climb.stages[climb.now :]
    return {course for stage in later for course in stage.stage.every}


def _path(
    climb: Climb, titles: dict[int, str], places: dict[int, str], found_at: dict[int, str], today: date
) -> PathNow:
    stages = []
    for number, stage in enumerate(climb.stages, 1):
        waits = climb.edition.is_in_order and number > climb.now
        courses = [StageCourse(titles.get(c, ""), r.status, places.get(c, "")) for c, r in stage.courses]
        of_choice = [
            StageElective(titles.get(c, ""), Status.CURRENT if done else None, places.get(c, ""), found_at.get(c, ""))
            for c, done in stage.electives
        ]
        state = "done" if stage.is_done else "later" if waits else "on"
        stages.append(StageNow(number, stage, state, courses, of_choice))
    because = [said for reason in climb.reasons if (said := _because(reason))]
    return PathNow(climb, stages, _says_of(climb.requirement, today), because)


def _pressing(thing: NextThing) -> tuple[int, date]:
    rank = ORDER.index(thing.status) if thing.status in ORDER else len(ORDER)
    return rank, thing.due or FOREVER


def _thing(
    view: CourseView,
    required: RequirementStatus | None,
    today: date,
    seat: Seat | None,
    climbing: Sequence[Climb],
) -> NextThing:
    to_book = _unbooked(view) if seat is None else None
    if required is None:
        return NextThing(view, None, None, "yours to finish", [], seat, booked_flag(seat, None), to_book)
    requirement, course = required.requirement, view.enrolment.course_id
    # What a path says of all its courses stands at the path.
    because = [_because(reason) for reason in required.reasons if reason.of_path is None]
    of_paths = tuple(
        f"{climb.edition.title}, stage {number}"
        for climb in climbing
        for number, stage in enumerate(climb.stages, 1)
        if course in stage.stage.every
    )
    due = requirement.due
    if requirement.status is Status.IN_GRACE:
        due = requirement.grace_until
    elif requirement.status in {*COVERED, Status.LAPSED}:
        due = requirement.valid_until
    flag = booked_flag(seat, None if requirement.needed_by == FOREVER else requirement.needed_by)
    description, reasons = _describe(required, today), [b for b in because if b]
    of_choice = any(course in stage.stage.electives for climb in climbing for stage in climb.stages)
    # What somebody chose of a path's electives is asked for by that choice, and waits as its stage does.
    only_by_path = all(reason.of_path or (reason.wish_id and of_choice) for reason in required.reasons)
    return NextThing(view, requirement.status, due, description, reasons, seat, flag, to_book, only_by_path, of_paths)


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


def _because(reason: Reason | PathReason) -> str:
    return f"{reason.name}: {reason.message}" if reason.message else reason.name
