"""The stored reasons, spans and waivers as columns, kept between boards, so that a board is arithmetic."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Hashable, Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from threading import Lock

from django.db.models import Max

from stepladder.accounts.organisation import organisation
from stepladder.core.board import LinkColumns, ReasonColumns, RequirementColumns, WaiverColumns, requirements_on
from stepladder.learning.validity import derive_spans
from stepladder.records.column_cache import store_tables, stored_tables
from stepladder.records.models import Moved
from stepladder.records.reading import LINK_NAMES, columns_of, read_links, read_reasons, read_waivers
from stepladder.timetable.forecast import supposed_completions

__all__ = ["Everything", "everything", "note_moved", "requirement_columns"]

# Where so many rows are in them, columns are kept on disk; fewer are read quicker than they are found there.
WORTH_STORING = 200_000
# Of so many people who moved since they were kept, columns are kept anew.
MANY_MOVED = 1_000
# The statuses of so many days are kept: most often today's alone is asked for, page after page.
MOST_DAYS = 2


@dataclass(frozen=True, eq=False)
class Everything:
    """All columns, and the number of the newest change that is in them."""

    change: int
    reasons: ReasonColumns
    links: LinkColumns
    waivers: WaiverColumns
    # Whether they are on disk, and how many people moved since they were.
    is_stored: bool = False
    moved_since: int = 0
    # Statuses worked out from them, by what was asked: they go with the rows that they follow from.
    days: OrderedDict[Hashable, RequirementColumns] = field(default_factory=OrderedDict)

    @property
    def is_large(self) -> bool:
        return len(self.reasons) + len(self.links) >= WORTH_STORING

    @property
    def people(self) -> int:
        """How many people have reasons. They stand in order."""
        person = self.reasons.person
        return int((person[1:] != person[:-1]).sum()) + min(len(person), 1)


_cache: list[Everything] = []
_reading, _counting = Lock(), Lock()


def note_moved(people: Iterable[int] | None) -> None:
    """Write down whose rows changed (None: everybody's), for every process that keeps columns."""
    if people is None:
        Moved.objects.filter(person__isnull=True).delete()
        Moved.objects.create(person=None)
        return
    keys = sorted(set(people))
    # One row a person, always with the newest number: the table stays as long as there are people.
    Moved.objects.filter(person__in=keys).delete()
    Moved.objects.bulk_create([Moved(person_id=key) for key in keys], batch_size=500)


def everything() -> Everything:
    """The columns; of those read before, only the rows of people who moved since are read again."""
    # One thread reads for all: what takes a large firm's second or ten is not done twice at once.
    with _reading:
        # The number is read before the rows: what is written in between is read once more the next time.
        newest = _newest()
        if not _cache or _cache[0].change != newest:
            _cache[:] = [_read(newest)]
        return _cache[0]


def _newest() -> int:
    return Moved.objects.aggregate(newest=Max("pk"))["newest"] or 0


def _read(newest: int) -> Everything:
    before = _cache[0] if _cache else _from_disk()
    if before and before.change > newest:
        # Another process has kept them on disk since the number was read.
        newest = _newest()
    moved = _moved_since(before, newest) if before else None
    if before is None or moved is None:
        found = Everything(newest, read_reasons(), read_links(), read_waivers())
    else:
        found = _with_anew(before, newest, moved)
    if found.is_large and (not found.is_stored or found.moved_since > MANY_MOVED):
        store_tables(newest, (found.reasons, found.links, found.waivers))
        # What others map as well is no memory of this process.
        found = _from_disk() or found
    return found


def _from_disk() -> Everything | None:
    there = stored_tables()
    return Everything(there[0], *there[1], is_stored=True) if there else None


def _moved_since(before: Everything, newest: int) -> list[int] | None:
    """Whose rows changed since; None where it was everybody's, or where the columns are of another database's future."""
    # A restore: the numbers begin again from what was backed up.
    if newest < before.change:
        return None
    moved = list(Moved.objects.filter(pk__gt=before.change).values_list("person_id", flat=True))
    # Beyond that, picking out and sorting in takes longer than reading all anew.
    if None in moved or len(moved) > max(before.people // 4, 100):
        return None
    return [key for key in moved if key is not None]


def _with_anew(old: Everything, change: int, people: Sequence[int]) -> Everything:
    if not people:
        return replace(old, change=change)
    return Everything(
        change,
        old.reasons.without(people).joined(read_reasons(people)),
        old.links.without(people).joined(read_links(people)),
        old.waivers.without(people).joined(read_waivers(people)),
        is_stored=old.is_stored,
        moved_since=old.moved_since + len(people),
    )


def requirement_columns(*, day: date, known_on: date, attending: bool = False) -> RequirementColumns:
    """Every open requirement on a day, as known on a day. *attending*: everybody who is booked attends until then. Rule: 5.

    Of the days asked for last they are kept; not what is supposed of seats, for nobody tells when those change.
    """
    stored, soon = everything(), organisation().soon_days
    if attending:
        # Worked out each time: nobody tells when a seat changes hands.
        links = _attended(stored.links, day)
        return requirements_on(stored.reasons, links, stored.waivers, day=day, known_on=known_on, soon_days=soon)
    asked = (day, known_on, soon)
    # Threads share them: one works a day out, the others wait for it.
    with _counting:
        if asked not in stored.days:
            stored.days[asked] = requirements_on(
                stored.reasons, stored.links, stored.waivers, day=day, known_on=known_on, soon_days=soon
            )
        stored.days.move_to_end(asked)
        while len(stored.days) > MOST_DAYS:
            stored.days.popitem(last=False)
        return stored.days[asked]


def _attended(links: LinkColumns, day: date) -> LinkColumns:
    """The links as they would be if everybody who is booked in a session up to a day attended it."""
    supposed = supposed_completions(day)
    people = sorted({completion.person_id for completion in supposed})
    if not people:
        return links
    spans = list(derive_spans(people=people, also=supposed))
    made = columns_of(LinkColumns, [[getattr(span, name) for name in LINK_NAMES] for span in spans])
    return links.without(people).joined(made.ordered())
