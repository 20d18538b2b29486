"""Every event with its payload, and the proposals that are announced before an act on many.

Apps nearer the roof listen (in their `wiring.py`); the announcer knows nobody. `docs/events.md` lists who announces and who
listens.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass, field
from datetime import date
from enum import IntEnum
from heapq import heappop, heappush
from itertools import count
from typing import Any, TypeVar

__all__ = [
    "Act",
    "AssignmentsChanged",
    "ChartChanged",
    "CompletionRecorded",
    "CompletionRevoked",
    "CourseChanged",
    "CourseReleased",
    "CourseTermsChanged",
    "Doer",
    "EditionProposed",
    "EffectLine",
    "EmploymentChanged",
    "GroupChanged",
    "InstallationSetUp",
    "InstructorsChanged",
    "ModuleProcessed",
    "ModuleWithdrawalProposed",
    "OrganisationChanged",
    "PathProposed",
    "PathReleased",
    "PeopleProposed",
    "PeopleWithdrawn",
    "Phase",
    "PlacementChanged",
    "PlacesOpened",
    "SeatsChanged",
    "SeatsMovedUp",
    "SessionCancelled",
    "SessionPlanned",
    "SessionRescheduled",
    "SkillChanged",
    "SpansChanged",
    "TopicChanged",
    "TopicReplaced",
    "WaiverChanged",
    "announce",
    "answer",
    "answers",
    "held",
    "listen",
    "listeners",
    "propose",
]


@dataclass(frozen=True)
class InstallationSetUp:
    """An empty installation has its organisation and its first administrator."""

    organisation: str


@dataclass(frozen=True)
class OrganisationChanged:
    """The organisation's settings changed: the names of those that did."""

    settings: tuple[str, ...]


@dataclass(frozen=True)
class EmploymentChanged:
    """People were hired, have left, or are to."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class PlacementChanged:
    """People were placed, moved, or their placements ended."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class ChartChanged:
    """A node of a chart was moved or given another site: the people placed at it or below it, ever."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class GroupChanged:
    """A group means other people from now on."""

    group: int


@dataclass(frozen=True)
class TopicChanged:
    """Topics have other names, or what carried one carries another."""

    topics: tuple[int, ...]


@dataclass(frozen=True)
class TopicReplaced:
    """A topic goes out of the list; what spoke of it speaks of *instead* from then on (None: of nothing)."""

    topic: int
    instead: int | None


@dataclass(frozen=True)
class SkillChanged:
    """A skill's levels need other credits, or courses give others for them: the courses that have to do with it."""

    skill: int
    courses: tuple[int, ...]


@dataclass(frozen=True)
class ModuleProcessed:
    """The queue has worked out what an uploaded file holds."""

    module: int


@dataclass(frozen=True)
class CourseChanged:
    """A course's words or state changed."""

    course: int


@dataclass(frozen=True)
class CourseReleased:
    """An edition was released; *retake_by* where older ones are to be taken again; *note* is for those whom it concerns."""

    course: int
    edition: int
    size: str
    retake_by: date | None
    note: str = ""


@dataclass(frozen=True)
class CourseTermsChanged:
    """A course's validity, renewal window, grace or equivalents changed."""

    course: int


@dataclass(frozen=True)
class PathReleased:
    """A path asks for other courses, or by other days, from now on."""

    path: int


@dataclass(frozen=True)
class CompletionRecorded:
    """Completions were recorded."""

    completions: tuple[int, ...]
    people: tuple[int, ...]
    courses: tuple[int, ...]


@dataclass(frozen=True)
class CompletionRevoked:
    """Completions were revoked."""

    people: tuple[int, ...]
    courses: tuple[int, ...]


@dataclass(frozen=True)
class WaiverChanged:
    """Somebody was waived from a course, or no longer is."""

    people: tuple[int, ...]
    course: int


@dataclass(frozen=True)
class AssignmentsChanged:
    """Reasons were opened, closed or given other days."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class SeatsChanged:
    """People were booked, wait, gave their seat back, or were signed off."""

    session: int
    people: tuple[int, ...]


@dataclass(frozen=True)
class SeatsMovedUp:
    """A freed seat went to people who waited for it, in their order. SeatsChanged is not announced for them."""

    session: int
    people: tuple[int, ...]


@dataclass(frozen=True)
class SessionPlanned:
    """There is a session that was not there before."""

    session: int


@dataclass(frozen=True)
class InstructorsChanged:
    """People come to teach a session, or no longer do."""

    session: int
    teach: tuple[int, ...]
    no_longer: tuple[int, ...] = ()


@dataclass(frozen=True)
class SessionCancelled:
    """A session does not take place: who had a seat in it or waited for one."""

    session: int
    people: tuple[int, ...]


@dataclass(frozen=True)
class SessionRescheduled:
    """A session has another time or place: who has a seat in it, or waits."""

    session: int
    people: tuple[int, ...]


@dataclass(frozen=True)
class EditionProposed:
    """Proposal: an edition of a course is about to be released."""

    course: int
    edition: int
    size: str
    retake_by: date | None


@dataclass(frozen=True)
class PathProposed:
    """Proposal: a path is about to be released with these obligatory courses, in the order of its stages."""

    path: int
    courses: tuple[int, ...]
    # Of each stage its obligatory courses, and the days after the start by which it is to be done.
    windows: tuple[tuple[tuple[int, ...], int | None], ...] = ()


@dataclass(frozen=True)
class ModuleWithdrawalProposed:
    """Proposal: a module is about to be withdrawn."""

    module: int


@dataclass(frozen=True)
class PeopleProposed:
    """Proposal: facts about these people are about to change. Answered while the changed facts can be read, and before
    anything that follows from them was written."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class PeopleWithdrawn:
    """Proposal: these people are about never to have been here."""

    people: tuple[int, ...]


@dataclass(frozen=True)
class EffectLine:
    """One thing an act would do: how many people, what, and how it is to be read. *refuses* stops the act."""

    text: str
    count: int = 0
    refuses: bool = False
    details: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class PlacesOpened:
    """People got a place in a course because something asks for it: who is to be told."""

    enrolments: tuple[int, ...]


@dataclass(frozen=True)
class SpansChanged:
    """From when to when these people hold these courses was derived anew, and some of it is other than before."""

    people: tuple[int, ...]
    courses: tuple[int, ...]


@dataclass(frozen=True)
class Doer:
    """Who did an act, as the journal named them then: what follows from it later is still theirs."""

    public_id: str
    name: str


@dataclass(frozen=True)
class Act:
    """What an event came of: whose act on which day, and the number of its entry in the journal (None: it has none)."""

    day: date
    by: Any
    entry: int | None = None


class Phase(IntEnum):
    """When a listener is called, whatever the order in which listeners were registered: an earlier phase is over, for every
    event that was announced meanwhile too, before the next begins.
    """

    DERIVE = 1
    """Rows that follow from facts: reasons, spans, the search."""
    REACT = 2
    """What is done because they are others now: places, seats, tasks."""
    TELL = 3
    """Notices."""


_Event = TypeVar("_Event")
Reaction = Callable[[Any, Act], None]
_listeners: dict[type, list[tuple[Phase, Reaction]]] = {}
_answers: dict[type, list[Callable[[Any], list[EffectLine]]]] = {}


def listen(event: type[_Event], reaction: Callable[[_Event, Act], None], *, phase: Phase) -> None:
    """Have *reaction* called in its phase, in the announcer's transaction, whenever *event* is announced."""
    if (phase, reaction) not in _listeners.setdefault(event, []):
        _listeners[event].append((phase, reaction))


_held: ContextVar[list[object] | None] = ContextVar("held", default=None)


@contextmanager
def held() -> Iterator[list[object]]:
    """Within it events are gathered and nobody is told: an act is rehearsed, and what it wrote is rolled back."""
    gathered: list[object] = []
    token = _held.set(gathered)
    try:
        yield gathered
    finally:
        _held.reset(token)


# Who is still to be called for what was announced, by phase, then in the order announced; None while nothing is under way.
_waiting: ContextVar[list[tuple[Phase, int, Reaction, object, Act]] | None] = ContextVar("waiting", default=None)


def announce(event: object, act: Act) -> None:
    """Tell everybody who listens, phase by phase. What a listener announces itself takes its turn in the same phases."""
    gathered = _held.get()
    if gathered is not None:
        gathered.append(event)
        return
    under_way = _waiting.get()
    if under_way is not None:
        _line_up(under_way, event, act)
        return
    waiting: list[tuple[Phase, int, Reaction, object, Act]] = []
    token = _waiting.set(waiting)
    try:
        _line_up(waiting, event, act)
        while waiting:
            _, _, reaction, what, of = heappop(waiting)
            reaction(what, of)
    finally:
        _waiting.reset(token)


_turns = count()


def _line_up(waiting: list[tuple[Phase, int, Reaction, object, Act]], event: object, act: Act) -> None:
    for phase, reaction in _listeners.get(type(event), ()):
        heappush(waiting, (phase, next(_turns), reaction, event, act))


def answer(proposal: type[_Event], effect: Callable[[_Event], list[EffectLine]]) -> None:
    """Have *effect* say what an act that is proposed would do."""
    if effect not in _answers.setdefault(proposal, []):
        _answers[proposal].append(effect)


def propose(proposal: object) -> list[EffectLine]:
    """What an act would do, by everybody who answers to it."""
    return [line for effect in _answers.get(type(proposal), ()) for line in effect(proposal)]


def listeners() -> dict[type, list[tuple[Phase, Reaction]]]:
    """Event → who listens, and when; for the docs and their test."""
    return _listeners


def answers() -> dict[type, list[Callable[[Any], list[EffectLine]]]]:
    """Proposal → who answers; for the docs and their test."""
    return _answers
