"""What of a film, of sound or of a document people really watch: the heat over its length, and each person's strip. Rule: 8."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from django.db.models import QuerySet

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Unit
from stepladder.core.coverage import Interval
from stepladder.core.skipping import Run, Watched, what_is_watched
from stepladder.learning.models import Attempt
from stepladder.library.kinds import kind_named
from stepladder.library.models import ModuleVersion
from stepladder.people.models import Placement
from stepladder.people.queries import places_of, valid_on
from stepladder.playing.actions import plays_in
from stepladder.playing.players import player_of
from stepladder.playing.strips import Strip
from stepladder.reaches.models import Group
from stepladder.reaches.queries import members_of
from stepladder.web.tables import LazyRows

__all__ = ["Heat", "Spot", "WatchedRow", "WatchedRows", "attempts_at", "heat_of", "length_of", "spot_at"]


def length_of(version: ModuleVersion) -> float:
    """How long a version is in its own measure: seconds, or pages; 0 for what has neither."""
    return float(version.data.get("seconds") or version.data.get("pages") or 0)


def attempts_at(version: ModuleVersion, unit: Unit | None, group: Group | None = None) -> QuerySet[Attempt]:
    """The attempts at a version, of everybody, or of those placed in a unit and below, or in a group, today."""
    attempts = Attempt.objects.filter(version=version)
    if group is not None:
        attempts = attempts.filter(enrolment__person__in=members_of(group, clock.today()).values("pk"))
    if unit is None:
        return attempts
    today = clock.today()
    tree = units_tree(today)
    units = tree.below(unit.pk) if unit.pk in tree.parent else [unit.pk]
    placed = Placement.objects.filter(valid_on(today), unit__in=units)
    return attempts.filter(enrolment__person__in=placed.values("person"))


@dataclass(frozen=True)
class Heat:
    """What people together saw of a version, and how it is said."""

    version: ModuleVersion
    watched: Watched
    length: float

    @property
    def is_pages(self) -> bool:
        return "seconds" not in self.version.data

    def place(self, at: float) -> str:
        """A place in words: "0:21", "page 3"."""
        # A page lies before its number.
        return kind_named(self.version.module.kind).place(self.version.data, at + 1 if self.is_pages else at)

    def stretch(self, run: Run) -> str:
        """A stretch in words: "0:21 to 0:27", "page 3", "pages 3 to 5"."""
        if not self.is_pages:
            return f"{self.place(run.start)} to {self.place(run.end)}"
        first, last = int(run.start) + 1, int(run.end)
        word = self.version.data.get("page_word", "page")
        return f"{word} {first}" if first == last else f"{word}s {first} to {last}"

    @property
    def findings(self) -> list[tuple[str, float]]:
        """What stands out, each a sentence with the place it begins at."""
        said = [
            (f"{run.count} of {run.of} go past {self.stretch(run)} without seeing it", run.start)
            for run in self.watched.skipped
        ]
        said += [
            (f"{self.stretch(run)} is seen {run.a_head:.1f} times a head", run.start) for run in self.watched.again
        ]
        said += [(f"{run.count} of {run.of} leave at {self.place(run.start)}", run.start) for run in self.watched.left]
        return said


def heat_of(version: ModuleVersion, attempts: QuerySet[Attempt]) -> Heat:
    """The heat over a version, of these attempts; several of one person are told one after the other."""
    plays: dict[int, list[Interval]] = {}
    for person, data in attempts.order_by("pk").values_list("enrolment__person", "data").iterator():
        plays.setdefault(person, []).extend(plays_in(data))
    length = length_of(version)
    return Heat(version, what_is_watched(plays, length, early=1 if "seconds" not in version.data else 5), length)


@dataclass(frozen=True)
class Spot:
    """A place in the medium that is looked at: what is said there, how many saw it, and who did not."""

    where: str
    words: Sequence[str]
    people: int
    times: int
    skipped: int
    left: int
    place: float


# Of what is said in a slice, so much.
MOST_WORDS = 4


def spot_at(heat: Heat, at: float) -> Spot:
    """The slice of the heat that a place is in."""
    number = max(0, min(int(at / heat.watched.width), len(heat.watched.slices) - 1))
    start, end = number * heat.watched.width, (number + 1) * heat.watched.width
    one = heat.watched.slices[number]
    passages = heat.version.passages.filter(place__lt=end + heat.is_pages)
    passages = passages.filter(place__gte=start + heat.is_pages) if heat.is_pages else passages.order_by("-place")
    words = [passage.text[:300] for passage in passages[: MOST_WORDS if heat.is_pages else 1]]
    run = Run(start, end, one.people, heat.watched.people)
    return Spot(heat.stretch(run), words, one.people, one.times, one.skipped, one.left, start + heat.is_pages)


@dataclass(frozen=True)
class WatchedRow:
    """What one person saw: the newest attempt, its strip and share in per cent, and where the person is placed."""

    attempt: Attempt
    strip: Strip | None
    share: int
    where: str


class WatchedRows(LazyRows[WatchedRow]):
    """The people whose records the asker may see, by name; their attempts at a version."""

    def __init__(self, account: Any, attempts: QuerySet[Attempt]) -> None:
        seen = policy.visible(account, "read records", attempts)
        self.attempts = seen.select_related("enrolment__person", "version", "module").order_by(
            "enrolment__person__family_name", "enrolment__person__given_name", "-pk"
        )

    def __len__(self) -> int:
        return self.attempts.count()

    def made(self, start: int, stop: int) -> list[WatchedRow]:
        some = list(self.attempts[start:stop])
        places = places_of([attempt.enrolment.person_id for attempt in some], clock.today())
        rows = []
        for attempt in some:
            player = player_of(attempt.module.kind)
            strip, where = player.strip(attempt.version, attempt), places.get(attempt.enrolment.person_id, "")
            rows.append(WatchedRow(attempt, strip, player.share(attempt), where))
        return rows
