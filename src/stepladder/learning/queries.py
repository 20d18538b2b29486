"""Reading what people learn."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from django.db.models import Prefetch

from stepladder.core.sequence import Outline, Part, Progress, open_steps, progress
from stepladder.courses.models import Course, Step
from stepladder.courses.outline import outline_of
from stepladder.courses.queries import mark_of
from stepladder.learning.actions import done_of, missing_prerequisites
from stepladder.learning.models import Attempt, Completion, Enrolment, StepDone
from stepladder.library.kinds import kind_named
from stepladder.people.models import Person

__all__ = ["CourseView", "StepState", "completions_of", "course_view", "open_enrolments", "views_of"]


@dataclass(frozen=True)
class StepState:
    """A step as its learner sees it: done, open, or closed until others are done."""

    step: Step
    mark: str
    done: StepDone | None
    is_open: bool
    attempt: Attempt | None

    @property
    def may_look(self) -> bool:
        """Whether its page can be opened: a seat in a session may be booked before the step's turn comes."""
        return self.is_open or not kind_named(self.step.module.kind).is_played

    @property
    def state(self) -> str:
        if self.done:
            return "done"
        if not self.is_open:
            return "closed"
        return "begun" if self.attempt else "open"

    @property
    def begun_words(self) -> str:
        """How far one is in a step that is begun: what was handed in waits for others."""
        return "handed in" if self.attempt and self.attempt.status == "handed in" else "begun"


@dataclass(frozen=True)
class CourseView:
    """A course as its learner sees it."""

    enrolment: Enrolment
    steps: list[StepState]
    progress: Progress
    missing: list[str]

    @property
    def next(self) -> StepState | None:
        """The step to go on with: the first open one that is owed, else an open optional one."""
        waiting = [s for s in self.steps if s.is_open and not s.done and s.step.part != Part.ENTRY]
        return next((s for s in waiting if s.step.is_obligatory), waiting[0] if waiting else None)

    def part(self, part: Part) -> list[StepState]:
        return [s for s in self.steps if s.step.part == part]

    @property
    def parts(self) -> list[tuple[str, list[StepState]]]:
        named = [
            ("Entry test", self.part(Part.ENTRY)),
            ("Preparation", self.part(Part.PREPARATION)),
            ("Main part", self.part(Part.MAIN)),
        ]
        return [(title, steps) for title, steps in named if steps]


def with_all(enrolments: Iterable[Enrolment] | None = None) -> Prefetch[str]:
    """The steps of an edition with their modules and versions."""
    return Prefetch("edition__steps", queryset=Step.objects.select_related("module", "version"))


def views_of(enrolments: list[Enrolment]) -> list[CourseView]:
    """Enrolments as their learner sees them; they were read by `open_enrolments`, so that no further query is needed."""
    return [_view(e, list(e.edition.steps.all())) for e in enrolments]


def open_enrolments(person: Person) -> list[Enrolment]:
    """A person's open enrolments with all that their views need, in few queries."""
    return list(
        Enrolment.objects.filter(person=person, completed_at__isnull=True, closed_on__isnull=True)
        .select_related("course", "edition", "person")
        .prefetch_related(with_all(), "steps_done", "attempts")
        .order_by("opened_on", "pk")
    )


def course_view(enrolment: Enrolment) -> CourseView:
    """One enrolment as its learner sees it, with what must come first."""
    steps = list(enrolment.edition.steps.select_related("module", "version"))
    missing = missing_prerequisites(enrolment.person, enrolment.course) if enrolment.begun_at is None else []
    return _view(enrolment, steps, missing)


def _view(enrolment: Enrolment, steps: list[Step], missing: list[str] | None = None) -> CourseView:
    outline: Outline = outline_of(enrolment.edition, steps)
    rows = {d.module_id: d for d in enrolment.steps_done.all() if not d.is_revoked}
    # By their number, so that the newest of a step is the one that is kept.
    attempts = {a.module_id: a for a in enrolment.attempts.all()}
    done = done_of(enrolment)
    is_open = set(open_steps(outline, done)) if not missing else set()
    states, counts = [], dict.fromkeys(Part, 0)
    # What may be taken first stands first.
    for step in sorted(steps, key=lambda one: one.part != Part.ENTRY):
        part = Part(step.part)
        mark = mark_of(part, counts[part])
        counts[part] += 1
        key = step.module_id
        states.append(StepState(step, mark, rows.get(key), key in is_open, attempts.get(key)))
    return CourseView(enrolment, states, progress(outline, done, floor=enrolment.floor), missing or [])


def completions_of(person: Person, *, day: date, known_on: date) -> list[Completion]:
    """A person's completions up to a day, as known on a day, the newest first."""
    return list(
        Completion.objects.known_on(known_on)
        .filter(person=person, day__lte=day)
        .select_related("course", "edition", "enrolment")
        .order_by("-day", "-pk")
    )


def course_titles() -> dict[int, str]:
    """Every course's title by key."""
    return dict(Course.objects.values_list("pk", "title"))
