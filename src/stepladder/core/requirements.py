"""From assignments to requirements, and a requirement's status on any day. Rules: 4, 5."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum
from typing import Literal

from stepladder.core.days import FOREVER, Calendar, Period, Span, add, covered_days, resolve_day
from stepladder.core.reach import PersonFacts, Reach, World, membership, placement_behind
from stepladder.core.validity import Link

__all__ = [
    "COVERED",
    "DEFAULT_NOTICE_DAYS",
    "DEFAULT_SOON_DAYS",
    "LATE",
    "ON_TIME",
    "WORST_FIRST",
    "AssignmentRule",
    "Due",
    "Reason",
    "ReasonStatus",
    "Requirement",
    "Status",
    "due_day",
    "merge",
    "needed_by",
    "pushed_by_leave",
    "reason_status",
    "reasons_for",
]

DEFAULT_NOTICE_DAYS = 14
DEFAULT_SOON_DAYS = 14
# A transfer and back within so many days is not a new start (rule 4).
RETURN_DAYS = 30


class Status(StrEnum):
    """Of a requirement on a day; the words of the legend."""

    CURRENT = "current"
    RENEW = "renew"
    TO_DO = "to do"
    DUE_SOON = "due soon"
    OVERDUE = "overdue"
    IN_GRACE = "in grace"
    LAPSED = "lapsed"
    WAIVED = "waived"


WORST_FIRST = (
    Status.LAPSED,
    Status.OVERDUE,
    Status.IN_GRACE,
    Status.DUE_SOON,
    Status.TO_DO,
    Status.RENEW,
    Status.CURRENT,
    Status.WAIVED,
)
COVERED = frozenset({Status.CURRENT, Status.RENEW})
LATE = frozenset({Status.OVERDUE, Status.LAPSED})
ON_TIME = frozenset(Status) - LATE

Trigger = Literal["start", "hire", "opening", "placement", "week", "month", "quarter", "year"]
PERIOD_ENDS = frozenset({"week", "month", "quarter", "year"})


NO_TIME = Period()


@dataclass(frozen=True)
class Due:
    """When a requirement is due: a fixed day, or *after* a trigger; neither for a suggestion without a day.

    The triggers "week" … "year" mean the end of that period of the opening day ("by the end of the quarter").
    """

    day: date | None = None
    trigger: Trigger | None = None
    after: Period = NO_TIME


@dataclass(frozen=True)
class AssignmentRule:
    """What the core needs to know of an assignment. *end* is the last day it runs, inclusive."""

    start: date
    due: Due
    end: date | None = None
    mandatory: bool = True
    one_off: bool = False
    notice_days: int = DEFAULT_NOTICE_DAYS
    taken_on_or_after: date | None = None


@dataclass(frozen=True)
class Reason:
    """One assignment's claim on one person: present on *days*, derived from *opened*.

    *opened* is earlier than the first of *days* where somebody came back within 30 days. *due* None: no day (yet).
    """

    days: Span
    opened: date
    due: date | None
    mandatory: bool = True
    notice_days: int = DEFAULT_NOTICE_DAYS
    taken_on_or_after: date | None = None
    key: int = 0


def due_day(
    due: Due,
    *,
    start: date,
    opened: date,
    hired: date,
    placed: date | None,
    leave: Sequence[Span],
    notice_days: int,
    calendar: Calendar,
) -> date | None:
    """The day by which it must be done, pushed by minimum notice and by leave of absence. Rule: 4."""
    base = _base_day(due, start=start, opened=opened, hired=hired, placed=placed, calendar=calendar)
    if base is None:
        return None
    anchor = {"hire": hired, "opening": opened, "placement": placed or opened}.get(due.trigger or "start", start)
    # Whoever comes in after that day, or after what it counts from, still has the minimum notice (rule 4).
    if base < opened or opened > anchor:
        base = max(base, opened + timedelta(days=notice_days))
    return pushed_by_leave(base, opened, leave)


def _base_day(
    due: Due, *, start: date, opened: date, hired: date, placed: date | None, calendar: Calendar
) -> date | None:
    if due.day is not None:
        return due.day
    if due.trigger is None:
        return None
    if due.trigger in PERIOD_ENDS:
        return resolve_day(f"end of this {due.trigger}", today=opened, calendar=calendar)
    anchors = {"start": start, "hire": hired, "opening": opened, "placement": placed or opened}
    return add(anchors[due.trigger], due.after)


def pushed_by_leave(base: date, opened: date, leave: Sequence[Span]) -> date | None:
    """A due day pushed out by the days of leave between the opening and it; None while leave has no end. Rule: 4."""
    pushed = base
    # The days added may run into further leave themselves: it is pushed until it comes to rest.
    while True:
        days = covered_days(leave, Span(opened, max(pushed, opened)))
        if days is None:
            return None
        further = base + timedelta(days=days)
        if further == pushed:
            return pushed
        pushed = further


def reasons_for(
    rule: AssignmentRule,
    reach: Reach,
    person: PersonFacts,
    world: World,
    *,
    leave: Sequence[Span],
    calendar: Calendar,
) -> list[Reason]:
    """The reasons that an assignment gives a person, past and to come. Rule: 4."""
    running = Span(rule.start, rule.end or FOREVER)
    spans = [part for s in membership(reach, person, world) if (part := s.cut(running))]
    if rule.one_off:
        # Taken once, on the start: moving changes nothing after it, only leaving ends it.
        active = person.active
        in_reach = any(rule.start in span for span in spans)
        spans = [part] if in_reach and active and (part := active.cut(running)) else []
    reasons: list[Reason] = []
    for span in spans:
        before = reasons[-1] if reasons else None
        # Who is back soon goes on where they were: neither opening nor due day is given anew (rule 4).
        if before is not None and (span.first - before.days.last).days <= RETURN_DAYS:
            opened, due = before.opened, before.due
        else:
            opened = span.first
            placement = placement_behind(reach, person, world, day=opened)
            due = due_day(
                rule.due,
                start=rule.start,
                opened=opened,
                hired=person.hired,
                placed=placement.days.first if placement else None,
                leave=leave,
                notice_days=rule.notice_days,
                calendar=calendar,
            )
        reasons.append(Reason(span, opened, due, rule.mandatory, rule.notice_days, rule.taken_on_or_after))
    return reasons


def needed_by(day: date | None, notice_days: int, waivers: Iterable[Span]) -> date | None:
    """*day* (a due day, or valid until + grace), moved by waivers that it falls inside; FOREVER by one without an end.

    Of several the one that ends last speaks; a moved day that falls inside a further one moves again. Rules: 4, 20.
    """
    left = list(waivers)
    while day is not None and day != FOREVER and (holding := [waiver for waiver in left if day in waiver]):
        last = max(waiver.last for waiver in holding)
        if last == FOREVER:
            return FOREVER
        day = last + timedelta(days=notice_days)
        left = [waiver for waiver in left if waiver.last > last]
    return day


@dataclass(frozen=True)
class ReasonStatus:
    """How a reason, or a requirement, stands on a day, and by which days.

    *due* is the due day as moved by waivers; *valid_until* None if nothing counts towards it. *needed_by* is the day until
    which a completion is in time: the last day of grace where one is held, or ran out after the opening, else *due*.
    """

    status: Status
    opened: date
    due: date | None
    valid_until: date | None = None
    grace_until: date | None = None
    mandatory: bool = True
    needed_by: date | None = None


def reason_status(
    reason: Reason, link: Link | None, waivers: Sequence[Span], *, day: date, soon_days: int = DEFAULT_SOON_DAYS
) -> ReasonStatus:
    """How an open reason stands on *day*; *link* is the course's chain on that day. Rule: 5."""
    if link is not None and reason.taken_on_or_after is not None and link.taken < reason.taken_on_or_after:
        # Taken too early for this assignment: it only carries the renewal chain.
        link = None
    due = needed_by(reason.due, reason.notice_days, waivers)
    valid_until = link.valid_until if link else None
    grace_until = None
    if link is not None:
        grace_until = needed_by(_plus(link.valid_until, link.terms.grace_days), reason.notice_days, waivers)
    status = _status(reason, link, due, grace_until, waivers, day, soon_days)
    # One that ran out before the opening excuses nothing: then the due day stands (rule 5).
    needed = grace_until if link is not None and link.valid_until >= reason.opened else due
    return ReasonStatus(status, reason.opened, due, valid_until, grace_until, reason.mandatory, needed)


def _plus(day: date, days: int) -> date:
    return day if day == FOREVER else day + timedelta(days=days)


def _status(
    reason: Reason,
    link: Link | None,
    due: date | None,
    grace_until: date | None,
    waivers: Sequence[Span],
    day: date,
    soon_days: int,
) -> Status:
    if any(day in waiver for waiver in waivers):
        return Status.WAIVED
    if link is not None and day <= link.valid_until:
        left = (link.valid_until - day).days
        return Status.RENEW if left <= link.terms.window_days and link.valid_until != FOREVER else Status.CURRENT
    # Grace is for one that ran out while it was asked for; one that had run out before excuses nothing (rule 5).
    if link is not None and link.valid_until >= reason.opened:
        assert grace_until is not None
        return Status.IN_GRACE if day <= grace_until else Status.LAPSED
    if due is None:
        return Status.TO_DO
    if day > due:
        return Status.OVERDUE
    return Status.DUE_SOON if (due - day).days <= soon_days else Status.TO_DO


@dataclass(frozen=True)
class Requirement:
    """What the reasons open on a day come to for one person and one course."""

    status: Status
    mandatory: bool
    opened: date
    due: date | None
    reasons: tuple[int, ...]
    valid_until: date | None = None
    grace_until: date | None = None
    # The earliest of the reasons not covered; of all, where each is.
    needed_by: date | None = None


def merge(statuses: Sequence[tuple[int, ReasonStatus]]) -> Requirement | None:
    """One requirement from the statuses of the reasons open on a day, each with its key; None without any.

    Only the mandatory count if there is one; all reasons are kept. Rule: 4.
    """
    if not statuses:
        return None
    mandatory = any(s.mandatory for _, s in statuses)
    counting = [s for _, s in statuses if s.mandatory == mandatory]
    worst = min(counting, key=lambda s: WORST_FIRST.index(s.status))
    # What is covered has no day to come; only where all are covered, their days are told.
    uncovered = [s for s in counting if s.status not in COVERED] or counting
    return Requirement(
        status=worst.status,
        mandatory=mandatory,
        opened=min(s.opened for s in counting),
        due=min((s.due for s in uncovered if s.due is not None), default=None),
        reasons=tuple(sorted(key for key, _ in statuses)),
        valid_until=max((s.valid_until for s in counting if s.valid_until is not None), default=None),
        grace_until=max((s.grace_until for s in counting if s.grace_until is not None), default=None),
        needed_by=min((s.needed_by for s in uncovered if s.needed_by is not None), default=None),
    )
