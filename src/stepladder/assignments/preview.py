"""What an assignment would do, before it is saved: how many, who, already covered, due when."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.deriving import derive_for
from stepladder.assignments.models import AssignmentRule
from stepladder.assignments.queries import waivers_of
from stepladder.core.paths import path_link
from stepladder.core.requirements import Status, reason_status
from stepladder.core.validity import Link, link_on
from stepladder.courses.models import Course, Path
from stepladder.courses.paths import edition_of, plan_of
from stepladder.learning.models import ValiditySpan
from stepladder.learning.validity import link_from
from stepladder.people.models import Person
from stepladder.reaches.stored import leave_of, load_people, load_world, parse

__all__ = ["Preview", "PreviewRow", "preview"]

SHOWN = 12


@dataclass(frozen=True)
class PreviewRow:
    """One person whom it would touch."""

    name: str
    public_id: str
    status: Status
    due: date | None


@dataclass(frozen=True)
class Preview:
    """What it would do: today's people, those to come, by status and by due day, and the first of them."""

    now: int
    later: int
    statuses: list[tuple[Status, int]]
    dues: list[tuple[date | None, int]]
    rows: list[PreviewRow]
    # Everybody whom it touches at its start, by key.
    people: frozenset[int] = frozenset()

    @property
    def more(self) -> int:
        return self.now - len(self.rows)


def preview(rule: AssignmentRule, asked: Course | Path | None) -> Preview:
    """Evaluate the reach for everybody by today's facts; of a path, how they would stand with the whole of it."""
    today = clock.today()
    people = load_people(reaches=[parse(rule.reach)], world=load_world(), known_on=today)
    on = max(today, rule.start)
    found = derive_for(rule, people, leave_of(None, known_on=today))
    course = asked if isinstance(asked, Course) else None
    edition = edition_of(asked) if isinstance(asked, Path) else None
    plan = plan_of(edition) if edition else None
    links = _links(plan.courses if plan else (course.pk,) if course else (), today)
    waivers = waivers_of(None, today)
    touched = []
    later = 0
    for person, reasons in found.items():
        current = next((r for r in reasons if on in r.days), None)
        if current is None:
            later += any(r.days.first > on for r in reasons)
            continue
        waived = waivers.get((person, course.pk), []) if course else []
        held = {key: link_on(chain, on) for key, chain in links.get(person, {}).items()}
        link = path_link(plan, held, ()) if plan else held.get(course.pk) if course else None
        required = reason_status(current, link, waived, day=on, soon_days=organisation().soon_days)
        touched.append((person, required.status, required.due))
    return Preview(
        len(touched),
        later,
        _by_status(touched),
        _by_due(touched),
        _first(touched),
        frozenset(person for person, _, _ in touched),
    )


def _links(courses: Sequence[int], today: date) -> dict[int, dict[int, list[Link]]]:
    """Person → course → what they hold of it over time."""
    spans = ValiditySpan.objects.filter(course__in=courses, known_from__lte=today, known_to__gt=today)
    found: dict[int, dict[int, list[Link]]] = {}
    for row in spans.order_by("first"):
        found.setdefault(row.person_id, {}).setdefault(row.course_id, []).append(link_from(row))
    return found


def _by_status(touched: list[tuple[int, Status, date | None]]) -> list[tuple[Status, int]]:
    counts = {status: sum(s == status for _, s, _ in touched) for status in Status}
    return [(status, n) for status, n in counts.items() if n]


def _by_due(touched: list[tuple[int, Status, date | None]]) -> list[tuple[date | None, int]]:
    counts: dict[date | None, int] = {}
    for _, status, due in touched:
        if status not in (Status.CURRENT, Status.RENEW, Status.WAIVED):
            counts[due] = counts.get(due, 0) + 1
    return sorted(counts.items(), key=lambda item: item[0] or date.max)[:6]


def _first(touched: list[tuple[int, Status, date | None]]) -> list[PreviewRow]:
    order = [Status.LAPSED, Status.OVERDUE, Status.DUE_SOON, Status.TO_DO]
    ranked = sorted(touched, key=lambda t: (order.index(t[1]) if t[1] in order else 9, t[2] or date.max, t[0]))[:SHOWN]
    people = Person.objects.in_bulk([person for person, _, _ in ranked])
    return [PreviewRow(people[p].name, people[p].public_id, status, due) for p, status, due in ranked]
