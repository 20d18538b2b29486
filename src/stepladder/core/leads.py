"""Who answers to whom on a day. Rule: 2.

A lead says it for many at once: a holder, a field, powers. A line is what comes of it for two people, and whether it
is direct. A unit counts as led only while somebody holds the lead, so a vacant post leaves nobody without an answer above.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from itertools import takewhile

from stepladder.core.charts import ALWAYS, Tree
from stepladder.core.days import Span

__all__ = [
    "AUnit",
    "Field",
    "Lead",
    "LeadBook",
    "Named",
    "OwnUnit",
    "PositionsBelow",
    "Post",
    "Power",
    "ReportingLine",
    "whom_to_ask",
]


class Power(StrEnum):
    """What a leader may do for those who answer to them."""

    SEE_RECORDS = "see records"
    ASSIGN = "assign"
    APPROVE = "approve"
    SIGN_OFF = "sign off"
    NOTICES = "receive notices"


@dataclass(frozen=True)
class OwnUnit:
    """Everyone placed in the unit where the holder holds the position, or below it."""


@dataclass(frozen=True)
class AUnit:
    """Everyone placed in a given unit, or below it."""

    unit: int


@dataclass(frozen=True)
class PositionsBelow:
    """Everyone placed at a position below the holder's in the same chart, whatever the unit."""


@dataclass(frozen=True)
class Named:
    """People by name; a group's members stand here as they are on the day."""

    people: frozenset[int] = frozenset()


Field = OwnUnit | AUnit | PositionsBelow | Named


@dataclass(frozen=True)
class Lead:
    """A holder (whoever is at a *position*, or a named *person*) leads a field, with powers, over days."""

    key: int
    field: Field
    powers: frozenset[Power] = frozenset()
    position: int | None = None
    person: int | None = None
    days: Span = ALWAYS


@dataclass(frozen=True)
class Post:
    """A placement that is valid on the day, of somebody active."""

    person: int
    unit: int
    position: int | None = None


@dataclass(frozen=True, order=True)
class ReportingLine:
    """That *person* answers to *leader*, by a lead, directly or not, with that lead's powers."""

    person: int
    leader: int
    lead: int
    direct: bool
    powers: frozenset[Power] = dataclasses.field(default=frozenset(), compare=False)


# A leader, the lead they have it by, and whether directly.
Way = tuple[int, int, bool]


class LeadBook:
    """The leads of a day, ready to say who answers to whom.

    *holders* are the posts of whoever may hold a lead (more do no harm); *active* are the named holders who are active.
    Leads are those valid on the day; groups named in them are resolved to people by the caller.
    """

    def __init__(
        self,
        leads: Iterable[Lead],
        *,
        holders: Iterable[Post],
        active: frozenset[int],
        units: Tree,
        positions: Tree,
    ) -> None:
        self.units, self.positions = units, positions
        self.leads = {lead.key: lead for lead in leads}
        by_position: dict[int | None, list[Post]] = {}
        by_person: dict[int, list[Post]] = {}
        for post in holders:
            by_position.setdefault(post.position, []).append(post)
            by_person.setdefault(post.person, []).append(post)
        self.of_unit: dict[int, set[tuple[int, int]]] = {}
        self._of_position: dict[int, set[tuple[int, int]]] = {}
        self._of_name: dict[int, set[tuple[int, int]]] = {}
        self.holders: dict[int, set[int]] = {}
        for lead in self.leads.values():
            if lead.position is not None:
                posts = by_position.get(lead.position, [])
                people = {post.person for post in posts}
            else:
                people = {lead.person} & active if lead.person is not None else set()
                posts = [post for person in people for post in by_person.get(person, [])]
            self.holders[lead.key] = people
            self._enter(lead, people, posts)
        self._unit_leaders = {leader for pairs in self.of_unit.values() for leader, _ in pairs}
        self._position_leaders = {leader for pairs in self._of_position.values() for leader, _ in pairs}
        self._shared_by_unit: dict[int, list[Way]] = {}
        self._shared_by_position: dict[int, list[Way]] = {}

    def _enter(self, lead: Lead, people: set[int], posts: Sequence[Post]) -> None:
        what = lead.field
        if isinstance(what, OwnUnit):
            for post in posts:
                self.of_unit.setdefault(post.unit, set()).add((post.person, lead.key))
        elif isinstance(what, AUnit):
            self.of_unit.setdefault(what.unit, set()).update((person, lead.key) for person in people)
        elif isinstance(what, PositionsBelow):
            for post in posts:
                if post.position is not None:
                    self._of_position.setdefault(post.position, set()).add((post.person, lead.key))
        else:
            for named in what.people:
                self._of_name.setdefault(named, set()).update((person, lead.key) for person in people)

    def direct(self, person: int, posts: Sequence[Post]) -> set[int]:
        """Whom the person answers to directly. Whoever answers to anybody answers to somebody directly."""
        found = {leader for leader, _ in self._of_name.get(person, ()) if leader != person}
        for post in posts:
            for ways in self._ways(person, post):
                # From the first who is further up nobody is direct.
                found |= {leader for leader, _, _ in takewhile(lambda way: way[2], ways)}
        return found

    def lines(self, person: int, posts: Sequence[Post]) -> list[ReportingLine]:
        """Whom the person answers to, given their posts of the day: once for each leader and lead, direct ones first."""
        found: dict[tuple[int, int], bool] = {}
        for leader, lead, direct in self._lines(person, posts):
            found[leader, lead] = found.get((leader, lead), False) or direct
        lines = [
            ReportingLine(person, who, lead, direct, self.leads[lead].powers) for (who, lead), direct in found.items()
        ]
        return sorted(lines, key=lambda line: (not line.direct, line.leader, line.lead))

    def _lines(self, person: int, posts: Sequence[Post]) -> Iterator[Way]:
        for leader, lead in self._of_name.get(person, ()):
            if leader != person:
                yield leader, lead, True
        for post in posts:
            for ways in self._ways(person, post):
                yield from ways

    def team_of(self, leader: int, people: Mapping[int, Sequence[Post]]) -> dict[int, tuple[bool, frozenset[Power]]]:
        """Of these people, with their posts, who answers to a leader: whether directly, and with all the powers of the leads."""
        found: dict[int, tuple[bool, frozenset[Power]]] = {}
        for person, posts in people.items():
            for who, lead, direct in self._lines(person, posts):
                if who == leader:
                    before = found.get(person, (False, frozenset()))
                    found[person] = before[0] or direct, before[1] | self.leads[lead].powers
        return found

    def _ways(self, person: int, post: Post) -> Iterator[Iterable[Way]]:
        """How a post answers: by the unit, and by the position. Of each the nearest leaders come first."""
        yield self._shared_or_own(person, post.unit, self._ways_by_unit, self._unit_leaders, self._shared_by_unit)
        if post.position is not None:
            shared = self._shared_by_position
            yield self._shared_or_own(person, post.position, self._ways_by_position, self._position_leaders, shared)

    @staticmethod
    def _shared_or_own(
        person: int,
        node: int,
        ways: Callable[[int | None, int], Iterable[Way]],
        leaders: Collection[int],
        shared: dict[int, list[Way]],
    ) -> Iterable[Way]:
        """The ways at a node. Whoever leads none answers as everybody there does: thousands share what is worked out once."""
        if person in leaders:
            return ways(person, node)
        if node not in shared:
            shared[node] = list(ways(None, node))
        return shared[node]

    def _ways_by_unit(self, person: int | None, unit: int) -> Iterator[Way]:
        nearest = True
        for above in self.units.upwards(unit) if unit in self.units.parent else ():
            leading = self.of_unit.get(above, set())
            # Two who lead the same unit do not answer to each other through it: who leads it looks further up.
            if not leading or any(leader == person for leader, _ in leading):
                continue
            for leader, lead in leading:
                yield leader, lead, nearest
            nearest = False

    def _ways_by_position(self, person: int | None, position: int) -> Iterator[Way]:
        nearest = True
        if position not in self.positions.parent:
            return
        # Those at one position do not lead each other.
        for above in list(self.positions.upwards(position))[1:]:
            leading = [(leader, lead) for leader, lead in self._of_position.get(above, ()) if leader != person]
            for leader, lead in leading:
                yield leader, lead, nearest
            nearest = nearest and not leading

    def units_without(self, placed: Mapping[int, int]) -> list[int]:
        """Of the units with people placed in them (unit → how many), those that nobody leads, at them or above."""
        return [
            unit
            for unit, count in placed.items()
            if count and unit in self.units.parent and not any(self.of_unit.get(up) for up in self.units.upwards(unit))
        ]


def whom_to_ask(lines: Iterable[ReportingLine], power: Power) -> list[int]:
    """Who gets a request or a notice: the direct lines with the power; where none has it, the indirect ones."""
    able = [line for line in lines if power in line.powers]
    chosen = [line for line in able if line.direct] or able
    return list(dict.fromkeys(line.leader for line in chosen))
