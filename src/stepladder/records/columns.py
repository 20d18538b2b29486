"""The stored reasons, spans and waivers as columns, kept until something is written, so that a board is arithmetic."""

from __future__ import annotations

from dataclasses import dataclass, fields
from datetime import date
from typing import Any

import numpy as np
from django.db.models import QuerySet
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
from stepladder.journal.models import Entry
from stepladder.learning.models import ValiditySpan

__all__ = ["Everything", "everything", "requirement_columns"]


@dataclass(frozen=True)
class Everything:
    """All columns, and the number of the newest journal entry when they were read."""

    change: int
    reasons: ReasonColumns
    links: LinkColumns
    waivers: WaiverColumns


_kept: list[Everything] = []


def everything() -> Everything:
    """The columns, read anew only when something was written since: every write has its journal entry."""
    newest = Entry.objects.order_by("-number").values_list("number", flat=True).first() or 0
    if _kept and _kept[0].change == newest:
        return _kept[0]
    found = Everything(newest, _reasons(), _links(), _waivers())
    _kept[:] = [found]
    return found


def requirement_columns(*, day: date, known_on: date) -> RequirementColumns:
    """Every open requirement on a day, as known on a day."""
    here = everything()
    return requirements_on(
        here.reasons, here.links, here.waivers, day=day, known_on=known_on, soon_days=organisation().soon_days
    )


def _columns(kind: Any, rows: QuerySet[Any], names: list[str]) -> Any:
    values = list(rows.values_list(*names))
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


def _reasons() -> ReasonColumns:
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
    found: ReasonColumns = _columns(ReasonColumns, Reason.objects.order_by("pk"), names)
    return found


def _links() -> LinkColumns:
    names = [
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
    found: LinkColumns = _columns(LinkColumns, ValiditySpan.objects.order_by("pk"), names)
    return found


def _waivers() -> WaiverColumns:
    names = ["person_id", "course_id", "from_day", "to_day", "recorded_on", "revoked_on"]
    found: WaiverColumns = _columns(WaiverColumns, Waiver.objects.order_by("pk"), names)
    return found
