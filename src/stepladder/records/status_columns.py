"""The columns that lists of requirements have of their own."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from django.urls import reverse

from stepladder.core.days import FOREVER
from stepladder.quizzes.reports import allowed_in_courses
from stepladder.records import lists
from stepladder.records.list_columns import Filters, ListColumn, ListRow
from stepladder.records.seats import SeatFlag, seat_flags

__all__ = ["COLUMNS"]


def _record(row: ListRow, filters: Filters) -> str:
    return reverse("records:record", args=[row.person.public_id]) + filters.clocks


def _why(row: ListRow, filters: Filters) -> str:
    # How somebody stands with a path is told by its courses, on their record.
    if filters.path:
        return _record(row, filters)
    return reverse("records:why", args=[row.person.public_id, row.course.public_id]) + filters.clocks


def _valid_until(row: ListRow) -> date | None:
    return row.valid_until if row.valid_until != FOREVER else None


def _seats(rows: Sequence[ListRow], filters: Filters) -> list[SeatFlag | None]:
    if filters.path:
        return [None] * len(rows)
    flags = seat_flags(rows, filters.day, filters.known_on)
    return [flags.get(row.key) for row in rows]


def _allowed(rows: Sequence[ListRow], filters: Filters) -> list[str]:
    if filters.path:
        return [""] * len(rows)
    return allowed_in_courses([row.pair for row in rows], filters.day)


def _session_ends(flags: Sequence[SeatFlag | None], _: Filters) -> list[date | None]:
    return [flag.seat.ends_on if flag else None for flag in flags]


COLUMNS = (
    ListColumn(
        "name",
        "Name",
        lambda rows, _: [f"{r.person.family_name}, {r.person.given_name}" for r in rows],
        10,
        sort=lists.by_name,
        link=_record,
        template="records/cells/name.html",
        is_head=True,
    ),
    ListColumn("number", "Number", lambda rows, _: [r.person.employee_number for r in rows], 20, css="fig"),
    ListColumn("where", "Unit and position", lambda rows, _: [r.where for r in rows], 30, css="small"),
    ListColumn(
        "course",
        "Course",
        lambda rows, _: [r.course.title for r in rows],
        40,
        sort=lists.by_course,
        template="records/cells/course.html",
    ),
    ListColumn(
        "status",
        "Status",
        lambda rows, _: [str(r.status) for r in rows],
        50,
        sort=lists.by_status,
        link=_why,
        template="records/cells/status.html",
    ),
    ListColumn("due", "Due", lambda rows, _: [r.due for r in rows], 60, sort=lists.by_due, css="nowrap"),
    ListColumn(
        "valid", "Valid until", lambda rows, _: [_valid_until(r) for r in rows], 70, sort=lists.by_valid, css="nowrap"
    ),
    ListColumn("late", "Days late", lambda rows, _: [r.days_late for r in rows], 80, sort=lists.by_late, css="n"),
    ListColumn("seat", "Seat", _seats, 90, template="records/cells/seat.html", beside="status"),
    ListColumn("session", "Session ends on", _session_ends, 100, of="seat", files_only=True),
    ListColumn("allowed", "In quizzes", _allowed, 110, template="records/cells/allowed.html", beside="status"),
    ListColumn("as_of", "As of", lambda rows, filters: [filters.day] * len(rows), 200, files_only=True),
    ListColumn("known", "As known on", lambda rows, filters: [filters.known_on] * len(rows), 210, files_only=True),
)
