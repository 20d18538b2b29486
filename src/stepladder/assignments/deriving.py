"""Reasons, derived from the facts: a pure function of what was recorded when, so that they can always be checked."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from datetime import date, timedelta
from functools import cache, partial
from typing import Any

from stepladder.accounts.organisation import calendar
from stepladder.assignments.models import AssignmentRule, PathReason, Reason, Wish
from stepladder.core.days import FOREVER, Calendar, Period, Span
from stepladder.core.knowledge import Known, over_time
from stepladder.core.paths import Plan, stage_reasons
from stepladder.core.reach import PersonFacts
from stepladder.core.requirements import AssignmentRule as Rule
from stepladder.core.requirements import Due, reasons_for
from stepladder.core.requirements import Reason as CoreReason
from stepladder.courses.models import PathEdition
from stepladder.courses.paths import plan_of
from stepladder.learning.validity import HoldingsHistory
from stepladder.reaches.histories import PersonHistories, PersonHistory, WorldHistory, load_histories
from stepladder.reaches.stored import load_world, parse

__all__ = ["claims_of", "core_reason", "core_rule", "derive_for", "derive_reasons", "derive_wishes"]


def core_rule(row: AssignmentRule) -> Rule:
    """The core's rule of a stored one."""
    trigger: Any = row.due_trigger or None
    return Rule(
        start=row.start,
        due=Due(row.due_day, trigger, Period(row.due_months, row.due_days)),
        end=row.end,
        mandatory=row.is_mandatory,
        one_off=row.is_one_off,
        notice_days=row.notice_days,
        taken_on_or_after=row.taken_from,
    )


# What is asked, and the reason: a course, or (None) the path itself.
Claim = tuple[int | None, CoreReason]


class _Deriver:
    """One assignment's reasons for one person after the other. Charts and groups are read once."""

    def __init__(
        self,
        rules: Sequence[AssignmentRule],
        worlds: WorldHistory,
        cal: Calendar,
        editions: Sequence[PathEdition],
        holdings: Callable[[], HoldingsHistory],
    ) -> None:
        self.rules = rules
        self.assignment = rules[0].assignment
        self.editions = [(edition, plan_of(edition)) for edition in editions]
        self.worlds = worlds
        self.calendar = cal
        self.parsed = {rule.pk: (core_rule(rule), parse(rule.reach)) for rule in rules}
        self.holdings = holdings
        self.asks_completions = any(worlds.asks_completions(reach) for _, reach in self.parsed.values())

    def rule_on(self, day: date) -> AssignmentRule | None:
        # The last of those known: one that was recorded later says more.
        known = [r for r in self.rules if r.recorded_on <= day and (r.revoked_on is None or r.revoked_on > day)]
        return known[-1] if known else None

    def changes(self, person: PersonHistory) -> set[date]:
        days = {day for rule in self.rules for day in (rule.recorded_on, rule.revoked_on) if day}
        # A one-off takes its people by what is known on its start.
        days |= {rule.start for rule in self.rules if rule.is_one_off and rule.start > rule.recorded_on}
        days |= {day for edition, _ in self.editions for day in (edition.recorded_on, edition.revoked_on) if day}
        days |= person.changes() | self.worlds.changes_for(person)
        if self.asks_completions:
            days |= self.holdings().changes(person.key)
        return days

    def facts(self, person: PersonHistory, day: date) -> PersonFacts | None:
        if not self.asks_completions:
            return person.facts(day)
        holdings = self.holdings()
        return person.facts(day, holdings.held(person.key, day), holdings.earned(person.key, day))

    def claims_on(self, person: PersonHistory, day: date) -> list[Claim]:
        """What is asked of somebody by what was known on a day: the course; or the path, and each course of it."""
        reasons = self.reasons_on(person, day)
        if self.assignment.course_id is not None:
            return [(self.assignment.course_id, reason) for reason in reasons]
        plan = _plan_on(self.editions, day)
        return [claim for reason in reasons for claim in claims_of(plan, reason, person.leave_on(day))]

    def reasons_on(self, person: PersonHistory, day: date) -> list[CoreReason]:
        row = self.rule_on(day)
        facts = self.facts(person, day)
        if row is None or facts is None:
            return []
        rule, reach = self.parsed[row.pk]
        world = self.worlds.world_on(day)
        if rule.one_off:
            first = min((r.recorded_on for r in self.rules), default=row.recorded_on)
            taken_on = min(day, max(rule.start, first))
            frozen, world = self.facts(person, taken_on), self.worlds.world_on(taken_on)
            if frozen is None:
                return []
            # Whom it takes is decided on its start; leaving, or a hiring put right, counts after it.
            facts = replace(frozen, hired=facts.hired, left=facts.left)
        return reasons_for(rule, reach, facts, world, leave=person.leave_on(day), calendar=self.calendar)


def _plan_on(editions: Sequence[tuple[PathEdition, Plan]], day: date) -> Plan | None:
    """The plan of a path as it was known on a day."""
    known = [p for e, p in editions if e.recorded_on <= day and (e.revoked_on is None or e.revoked_on > day)]
    return known[-1] if known else None


def claims_of(plan: Plan | None, reason: CoreReason, leave: Sequence[Span]) -> list[Claim]:
    """What a path's reason comes to: the path, and each of its courses."""
    return [(None, reason), *stage_reasons(plan, reason, leave)] if plan else []


def derive_reasons(
    *, assignments: Iterable[int] | None = None, people: Iterable[int] | None = None
) -> Iterator[Reason | PathReason]:
    """The reasons, unsaved, that these assignments give these people (None: all), from the facts alone.

    With all assignments, their own wishes as well.
    """
    if assignments is None:
        yield from derive_wishes(people)
    rows = AssignmentRule.objects.select_related("assignment").order_by("recorded_on", "pk")
    if assignments is not None:
        rows = rows.filter(assignment__in=sorted(set(assignments)))
    rules: dict[int, list[AssignmentRule]] = {}
    for row in rows:
        rules.setdefault(row.assignment_id, []).append(row)
    if not rules:
        return
    wanted = None if people is None else sorted(set(people))
    known = load_histories(wanted)
    worlds, cal = WorldHistory(), calendar()
    # Read once for all of them, and only where a reach asks for completions.
    holdings = cache(lambda: HoldingsHistory(wanted))
    editions = _editions()
    for of_assignment in rules.values():
        path = of_assignment[0].assignment.path_id
        yield from _derive_one(
            _Deriver(of_assignment, worlds, cal, editions.get(path, []) if path else [], holdings), known
        )


def _editions() -> dict[int, list[PathEdition]]:
    """Path → every edition it ever had, as they were recorded."""
    found: dict[int, list[PathEdition]] = {}
    for edition in PathEdition.objects.order_by("recorded_on", "pk"):
        found.setdefault(edition.path_id, []).append(edition)
    return found


def derive_wishes(people: Iterable[int] | None = None) -> Iterator[Reason | PathReason]:
    """The reasons, unsaved, that the wishes of these people (None: of everybody) come to, from the facts alone. Rule: 12."""
    rows = Wish.objects.order_by("pk")
    if people is not None:
        rows = rows.filter(person__in=sorted(set(people)))
    wishes = list(rows)
    if not wishes:
        return
    known = load_histories({wish.person_id for wish in wishes})
    editions = _editions() if any(wish.path_id for wish in wishes) else {}
    for wish in wishes:
        person = known[wish.person_id]
        plans = [(edition, plan_of(edition)) for edition in editions.get(wish.path_id or 0, ())]
        changes = {day for day in (wish.recorded_on, wish.revoked_on) if day} | person.changes()
        changes |= {day for edition, _ in plans for day in (edition.recorded_on, edition.revoked_on) if day}
        # Nothing was wished before it was said.
        days = {max(day, wish.recorded_on) for day in changes}
        for found in over_time(days, partial(_wished_on, wish, plans, person)):
            yield _row(person.key, found, path=wish.path_id, wish_id=wish.pk)


def _wished_on(wish: Wish, plans: Sequence[tuple[PathEdition, Plan]], person: PersonHistory, day: date) -> list[Claim]:
    """What a wish asks by what was known on a day: as long as it runs and the person is here."""
    facts = person.facts(day)
    known = wish.recorded_on <= day and (wish.revoked_on is None or wish.revoked_on > day)
    if not known or facts is None or facts.active is None:
        return []
    days = Span(wish.from_day, wish.to_day or FOREVER).cut(facts.active)
    if days is None:
        return []
    due = wish.from_day + timedelta(days=wish.due_days) if wish.due_days is not None else None
    reason = CoreReason(days, wish.from_day, due, mandatory=False)
    if wish.course_id is not None:
        return [(wish.course_id, reason)]
    # Leave does not move the day of a wish (rule 20).
    return claims_of(_plan_on(plans, day), reason, ())


def _derive_one(deriver: _Deriver, known: PersonHistories) -> Iterator[Reason | PathReason]:
    for person in known.values():
        for found in _over_time(deriver, person):
            yield _row(person.key, found, path=deriver.assignment.path_id, assignment_id=deriver.assignment.pk)


def _over_time(deriver: _Deriver, person: PersonHistory) -> list[Known[Claim]]:
    # Nothing was asked before the assignment was known, whatever was recorded of its people before.
    begin = min(rule.recorded_on for rule in deriver.rules)
    changes = {max(day, begin) for day in deriver.changes(person)}
    return over_time(changes, lambda day: deriver.claims_on(person, day))


def _row(person: int, known: Known[Claim], *, path: int | None, **by: int) -> Reason | PathReason:
    course, reason = known.row
    asked: dict[str, Any] = {
        "person_id": person,
        **by,
        "first": reason.days.first,
        "last": reason.days.last,
        "opened": reason.opened,
        "due": reason.due,
        "is_mandatory": reason.mandatory,
        "notice_days": reason.notice_days,
        "taken_from": reason.taken_on_or_after,
        "known_from": known.known_from,
        "known_to": known.known_to,
    }
    if course is None:
        assert path is not None, "only what asks for a path claims no course"
        return PathReason(path_id=path, **asked)
    return Reason(course_id=course, **asked)


def derive_for(
    rule: AssignmentRule, people: Sequence[PersonFacts], leave: Mapping[int, Sequence[Span]]
) -> dict[int, list[CoreReason]]:
    """What a rule that is not saved yet would give people, by today's facts: for the margin."""
    world, cal = load_world(), calendar()
    core, reach = core_rule(rule), parse(rule.reach)
    found = {}
    for person in people:
        reasons = reasons_for(core, reach, person, world, leave=leave.get(person.key, ()), calendar=cal)
        if reasons:
            found[person.key] = reasons
    return found


def core_reason(row: Reason | PathReason) -> CoreReason:
    """The core's reason of a stored one."""
    return CoreReason(
        Span(row.first, row.last), row.opened, row.due, row.is_mandatory, row.notice_days, row.taken_from, row.pk
    )
