"""Which rows prove who was covered: those of the people, of what they completed and how, and of the rules by which it counts.

Every version of them is taken, revoked ones too: what was known on a day is told by when each was recorded and revoked.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Model

from stepladder.assignments.models import Assignment, AssignmentRule, Reason, Waiver
from stepladder.charts.models import Position, PositionBranch, Unit, UnitBranch
from stepladder.core.equivalents import satisfied_by
from stepladder.courses.models import Course, CourseTerms, Edition, PathEdition, Step
from stepladder.learning.models import Completion, Enrolment, StepDone
from stepladder.learning.validity import equivalents
from stepladder.library.models import StoredFile
from stepladder.outside.models import OutsideTraining
from stepladder.people.models import Employment, Person, Placement
from stepladder.signing.models import SignOff
from stepladder.timetable.models import Booking, Meeting, Presence, Session

__all__ = ["PIECE", "Proof", "counted_courses", "gather", "in_pieces_of"]

PIECE = 500


@dataclass
class Proof:
    """The keys of the rows that lie in a pack, by their tables."""

    keys: dict[type[Model], set[int]] = field(default_factory=dict)

    def add(self, model: type[Model], keys: Iterable[int | None]) -> None:
        self.keys.setdefault(model, set()).update(key for key in keys if key is not None)

    def of(self, model: type[Model]) -> list[int]:
        return sorted(self.keys.get(model, ()))


def in_pieces_of(keys: Sequence[int], size: int = PIECE) -> Iterator[list[int]]:
    for at in range(0, len(keys), size):
        yield list(keys[at : at + size])


def counted_courses(courses: Iterable[int]) -> set[int]:
    """The courses, and all whose completion counts as one of them."""
    arrows = equivalents()
    return {one for course in courses for one in satisfied_by(course, arrows)}


def gather(people: Sequence[int], courses: Sequence[int], *, with_documents: bool) -> Proof:
    """All rows that prove how these people stood with these courses on any day."""
    proof, counted = Proof(), sorted(counted_courses(courses))
    _rules(proof, counted)
    modules = list(Step.objects.filter(edition__course__in=counted).values_list("module", flat=True).distinct())
    for some in in_pieces_of(people):
        proof.add(Person, some)
        for model in (Employment, Placement):
            proof.add(model, _keys(model, person__in=some))
        completions = _keys(Completion, person__in=some, course__in=counted)
        proof.add(Completion, completions)
        proof.add(Waiver, _keys(Waiver, person__in=some, course__in=courses))
        _how_completed(proof, completions, with_documents=with_documents)
        _attended(proof, some, modules)
        _reasons(proof, some, courses)
    _places(proof)
    return proof


def _keys(model: Any, **said: Any) -> list[int]:
    return list(model._default_manager.filter(**said).values_list("pk", flat=True))


def _rules(proof: Proof, counted: list[int]) -> None:
    proof.add(Course, counted)
    proof.add(CourseTerms, _keys(CourseTerms, course__in=counted))
    proof.add(Edition, Edition.objects.filter(course__in=counted).exclude(state="draft").values_list("pk", flat=True))
    counts_as: Any = Course.satisfied_by.through
    proof.add(counts_as, _keys(counts_as, from_course__in=counted))


def _how_completed(proof: Proof, completions: list[int], *, with_documents: bool) -> None:
    enrolments = list(
        Completion.objects.filter(pk__in=completions, enrolment__isnull=False).values_list("enrolment", flat=True)
    )
    proof.add(Enrolment, enrolments)
    proof.add(StepDone, _keys(StepDone, enrolment__in=enrolments))
    proof.add(SignOff, _keys(SignOff, attempt__enrolment__in=enrolments))
    outside = OutsideTraining.objects.filter(completion__in=completions)
    proof.add(OutsideTraining, outside.values_list("pk", flat=True))
    if with_documents:
        proof.add(StoredFile, outside.values_list("document", flat=True))


def _attended(proof: Proof, people: list[int], modules: list[int]) -> None:
    bookings = Booking.objects.filter(person__in=people, session__module__in=modules)
    sessions = sorted(set(bookings.values_list("session", flat=True)))
    proof.add(Booking, bookings.values_list("pk", flat=True))
    proof.add(Session, sessions)
    proof.add(Meeting, _keys(Meeting, session__in=sessions))
    proof.add(Presence, _keys(Presence, session__in=sessions, person__in=people))
    teaches: Any = Session.instructors.through
    proof.add(teaches, _keys(teaches, session__in=sessions))


def _reasons(proof: Proof, people: list[int], courses: Sequence[int]) -> None:
    """What asked for them: assignments with all their rules, and what the paths among them were made of."""
    asked = Reason.objects.filter(person__in=people, course__in=courses).order_by()
    assignments = list(asked.exclude(assignment=None).values_list("assignment", flat=True).distinct())
    proof.add(Assignment, assignments)
    proof.add(AssignmentRule, _keys(AssignmentRule, assignment__in=assignments))
    paths = list(Assignment.objects.filter(pk__in=assignments).values_list("path", flat=True))
    proof.add(PathEdition, _keys(PathEdition, path__in=[path for path in paths if path]))


def _places(proof: Proof) -> None:
    """Units and positions in which the people were ever placed, and how the units hang together."""
    placed = Placement.objects.filter(pk__in=proof.of(Placement)).order_by()
    units = set(placed.values_list("unit", flat=True).distinct())
    positions = set(placed.exclude(position=None).values_list("position", flat=True).distinct())
    new = units
    while new:
        parents = UnitBranch.objects.filter(node__in=new).exclude(parent=None).values_list("parent", flat=True)
        new = {parent for parent in parents if parent is not None} - units
        units |= new
    proof.add(Unit, units)
    proof.add(UnitBranch, UnitBranch.objects.filter(node__in=units).values_list("pk", flat=True))
    proof.add(Position, positions)
    proof.add(PositionBranch, PositionBranch.objects.filter(node__in=positions).values_list("pk", flat=True))
