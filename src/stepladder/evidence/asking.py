"""What a pack is asked for: a reach, courses and a day by both clocks; and whom that means."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.reach import ReachError, members_on
from stepladder.courses.models import Course
from stepladder.evidence.errors import EvidenceError
from stepladder.people.permissions import people_seen
from stepladder.reaches.reach_forms import sentence_of
from stepladder.reaches.stored import load_people, load_world, parse

__all__ = ["MOST", "PackAsked", "people_in"]

# People times courses. What is more makes a file that nobody reads: it goes in several.
MOST = 100_000


@dataclass(frozen=True)
class PackAsked:
    """A reach as it is stored, courses, the day that is shown and the day by whose knowledge, and what lies in it beside rows."""

    reach: Mapping[str, Any]
    courses: Sequence[Course]
    day: date
    known_on: date
    with_certificates: bool = True
    with_documents: bool = True

    @property
    def words(self) -> str:
        """Whom the reach means."""
        return sentence_of(self.reach)

    def check(self, account: Account) -> list[int]:
        """The people it is about. Raises EvidenceError where it proves nothing, or too much at once."""
        policy.require(account, "make evidence packs")
        today = clock.today()
        if self.day > today:
            raise EvidenceError("Nothing proves what is to come. Choose today, or a day before.", "day")
        if self.known_on > today:
            raise EvidenceError("What will be known is not known yet. Choose today, or a day before.", "known_on")
        if not self.courses:
            raise EvidenceError("Choose at least one course.", "courses")
        people = people_in(self.reach, day=self.day, known_on=self.known_on, account=account)
        if not people:
            raise EvidenceError("Nobody whom you may see was in this reach on that day. Choose another reach or day.")
        if len(people) * len(self.courses) > MOST:
            raise EvidenceError(
                f"{len(people):,} people and {len(self.courses)} courses are more than one pack holds ({MOST:,} lines). "
                "Make several: by unit, or with fewer courses."
            )
        return people


def people_in(reach: Mapping[str, Any], *, day: date, known_on: date, account: Account) -> list[int]:
    """Who was in a reach on a day, as known on a day: of them those whose records the account may open. Raises EvidenceError."""
    found, world = parse(reach), load_world(known_on)
    try:
        found.check(groups=world.groups)
    except ReachError as error:
        raise EvidenceError(str(error)) from error
    members = members_on(found, load_people(reaches=[found], world=world, known_on=known_on), world, day=day)
    seen = people_seen(account, "open records")
    return sorted(members if seen is None else members & seen)
