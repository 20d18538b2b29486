"""The day's run of the notice rules, what a page of rules costs, and what an assignment would have done within a year."""

from __future__ import annotations

import resource
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from django.db import transaction
from django.test.utils import override_settings

from bench import board, check, company
from bench.assigning import ROWS, _timed, _work
from stepladder import clock
from stepladder.assignments.models import Assignment, AssignmentRule
from stepladder.assignments.over_year import would_have
from stepladder.charts.models import Position
from stepladder.core.telling import Moment
from stepladder.leads.actions import give_lead
from stepladder.notices.models import Notice
from stepladder.telling.actions import RuleSaid, add_rule
from stepladder.telling.forecast import forecast
from stepladder.telling.models import NoticeRule, Told
from stepladder.telling.tasks import tell_by_rules

RULES = [
    RuleSaid(Moment.DUE, -7, ["person"]),
    RuleSaid(Moment.DUE, 1, ["person", "leads"]),
    RuleSaid(Moment.EXPIRY, -30, ["person"]),
    RuleSaid(NoticeRule.Moment.ALL_DONE, 0, ["administrators"]),
    RuleSaid(NoticeRule.Moment.MARKING, 2, ["administrators"]),
]


def run(people: int, units: int, courses: int) -> list[str]:
    """Lines of what it came to, on a Monday, which sees to the weekend as well."""
    monday = clock.today() + timedelta(days=7 - clock.today().weekday())
    with clock.pinned(datetime.combine(monday, time(8), tzinfo=UTC)):
        return _run(people, units, courses)


def _run(people: int, units: int, courses: int) -> list[str]:
    board.fill(people, units, courses)
    head = Position.objects.get(name=company.POSITIONS[0])
    lead: dict[str, Any] = {
        "holder_position": head,
        "holder_person": None,
        "field": "own unit",
        "powers": ["receive notices"],
    }
    give_lead(from_day=date(2020, 1, 1), by=company.BY, **lead)
    for said in RULES:
        add_rule(of=None, said=said, by=company.BY)
    asked = people * courses
    since = clock.today() - timedelta(days=3)
    _, looked = _timed(forecast)
    _, again = _timed(forecast)
    with override_settings(TASKS=ROWS), transaction.atomic():
        tell_by_rules.call(since=since.isoformat())
    with override_settings(TASKS=ROWS):
        before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        (cut,) = _work()
        after_cut = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
        pieces = _work()
        after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    messages, told = Notice.objects.filter(kind="day").count(), Told.objects.count()
    check(messages > 0, "nobody was told anything")
    check(messages == Notice.objects.filter(kind="day").values("person").distinct().count(), "somebody was told twice")
    return [
        f"{asked:,} requirements, {len(RULES)} rules",
        f"what they would tell in a year to come: {looked:.1f} s, asked again {again:.1f} s",
        f"finding who is to be told: {cut:.1f} s",
        f"{len(pieces)} pieces: {sum(pieces) / len(pieces):.2f} s each, the longest {max(pieces):.2f} s",
        f"until all are told: {cut + sum(pieces):.0f} s, {messages:,} messages of {told:,} things",
        f"memory: {(after_cut - before) / 1024:.0f} MB more for finding, {(after - after_cut) / 1024:.0f} MB for the pieces",
    ]


def year(people: int, units: int) -> list[str]:
    """What an assignment to everybody would have done within a year."""
    company.people(people, *company.found(units))
    everybody: dict[str, Any] = {"in": {"kind": "all", "parts": [{"kind": "hired within", "days": 3650}]}}
    rule = AssignmentRule(reach=everybody, start=clock.today(), due_trigger="opening", due_days=30)
    rule.assignment = Assignment(name="All")
    found, took = _timed(lambda: would_have(rule, clock.today()))
    check(found.people > 0, "it would have asked nobody")
    return [f"what it would have done to {found.people:,} people within a year: {took:.2f} s"]
