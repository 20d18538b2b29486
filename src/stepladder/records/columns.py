"""The stored reasons, spans and waivers as columns, kept between boards, so that a board is arithmetic."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from datetime import date
from typing import Any

import numpy as np
from django.db.models import Max, QuerySet
from numpy.typing import NDArray

from stepladder.accounts.organisation import organisation
from stepladder.assignments.models import Reason, Waiver
from stepladder.core.board import (
    NO_DAY,
    LinkColumns,
    ReasonColumns,
    RequirementColumns,
    WaiverColumns,
    requirements_on,
)
from stepladder.learning.models import ValiditySpan
from stepladder.learning.validity import reckon
from stepladder.records.models import Moved
from stepladder.timetable.forecast import supposed_completions

__all__ = ["Everything", "everything", "note_moved", "requirement_columns"]


# Above this many people it is quicker to read everything than to look for their rows.
FEW = 5000
LINK_NAMES = [
    "person_id",
    "course_id",
    "first",
    "taken",
    "valid_until",
    "window_days",
    "grace_days",
    "known_from",
    "known_to",
]


@dataclass(frozen=True)
class Everything:
    """All columns, and the number of the newest change that is in them."""

    change: int
    reasons: ReasonColumns
    links: LinkColumns
    waivers: WaiverColumns


_kept: list[Everything] = []


def note_moved(people: Iterable[int] | None) -> None:
    """Write down whose rows changed (None: everybody's), for every process that keeps columns."""
    if people is None:
        Moved.objects.filter(person__isnull=True).delete()
        Moved.objects.create(person=None)
        return
    keys = sorted(set(people))
    Moved.objects.filter(person__in=keys).delete()
    Moved.objects.bulk_create([Moved(person_id=key) for key in keys], batch_size=500)


def everything() -> Everything:
    """The columns; of those read before, only the rows of people who moved since are read again."""
    # The number is read before the rows: what is written in between is read once more the next time.
    newest = Moved.objects.aggregate(newest=Max("pk"))["newest"] or 0
    if _kept and _kept[0].change == newest:
        return _kept[0]
    moved = list(Moved.objects.filter(pk__gt=_kept[0].change).values_list("person_id", flat=True)) if _kept else [None]
    if None in moved or len(moved) > FEW:
        found = Everything(newest, _reasons(), _links(), _waivers())
    else:
        found = _with_anew(_kept[0], newest, [key for key in moved if key is not None])
    _kept[:] = [found]
    return found


def _with_anew(old: Everything, change: int, people: Sequence[int]) -> Everything:
    return Everything(
        change,
        old.reasons.without(people).joined(_reasons(people)),
        old.links.without(people).joined(_links(people)),
        old.waivers.without(people).joined(_waivers(people)),
    )


def requirement_columns(*, day: date, known_on: date, attending: bool = False) -> RequirementColumns:
    """Every open requirement on a day, as known on a day. *attending*: everybody who is booked attends until then. Rule: 5."""
    here = everything()
    links = _attended(here.links, day) if attending else here.links
    return requirements_on(
        here.reasons, links, here.waivers, day=day, known_on=known_on, soon_days=organisation().soon_days
    )


def _attended(links: LinkColumns, day: date) -> LinkColumns:
    """The links as they would be if everybody who is booked in a session up to a day attended it."""
    supposed = supposed_completions(day)
    people = sorted({completion.person_id for completion in supposed})
    if not people:
        return links
    spans = list(reckon(people=people, also=supposed))
    made = _made(LinkColumns, [[getattr(span, name) for name in LINK_NAMES] for span in spans])
    joined: LinkColumns = links.without(people).joined(made)
    return joined


def _columns(kind: Any, rows: QuerySet[Any], names: list[str]) -> Any:
    return _made(kind, list(rows.values_list(*names)))


def _made(kind: Any, values: Sequence[Sequence[Any]]) -> Any:
    made: dict[str, NDArray[Any]] = {}
    for n, field in enumerate(fields(kind)):
        is_bool = field.name == "mandatory"
        column = [row[n] for row in values]
        made[field.name] = np.array(
            column if is_bool else [_number(v, field.name) for v in column], dtype=bool if is_bool else np.int64
        )
    return kind(**made)


def _number(value: Any, name: str) -> int:
    if isinstance(value, date):
        return value.toordinal()
    if value is None:
        return 0 if name == "taken_from" else NO_DAY
    return int(value)


def _of(rows: QuerySet[Any], people: Sequence[int] | None) -> QuerySet[Any]:
    return rows if people is None else rows.filter(person__in=people)


def _reasons(people: Sequence[int] | None = None) -> ReasonColumns:
    names = [
        "person_id",
        "course_id",
        "first",
        "last",
        "opened",
        "due",
        "notice_days",
        "taken_from",
        "is_mandatory",
        "known_from",
        "known_to",
    ]
    found: ReasonColumns = _columns(ReasonColumns, _of(Reason.objects.order_by("pk"), people), names)
    return found


def _links(people: Sequence[int] | None = None) -> LinkColumns:
    found: LinkColumns = _columns(LinkColumns, _of(ValiditySpan.objects.order_by("pk"), people), LINK_NAMES)
    return found


def _waivers(people: Sequence[int] | None = None) -> WaiverColumns:
    names = ["person_id", "course_id", "from_day", "to_day", "recorded_on", "revoked_on"]
    found: WaiverColumns = _columns(WaiverColumns, _of(Waiver.objects.order_by("pk"), people), names)
    return found
