"""The columns of the rows that figures open."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any, NamedTuple

import numpy as np
from django.db.models import QuerySet
from django.urls import reverse
from django.utils.http import urlencode
from numpy.typing import NDArray

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Position, Unit
from stepladder.core.columns import NO_DAY
from stepladder.core.reports import Facts
from stepladder.core.requirements import WORST_FIRST
from stepladder.courses.models import Course
from stepladder.fact_cache import cached
from stepladder.learning.models import Attempt, Completion
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.people.name_order import names
from stepladder.people.queries import place_in_words
from stepladder.quizzes.models import Question
from stepladder.reports.codes import name_of
from stepladder.reports.counted import RowColumn, add_row_column
from stepladder.reports.counting.seats import SEAT_STATES
from stepladder.reports.counting.use import ACTS
from stepladder.reports.placing import placements
from stepladder.timetable.models import Session

__all__ = ["register"]


class _Said(NamedTuple):
    """What rows say of a person."""

    name: str
    number: str
    public_id: str


_NOBODY = _Said("", "", "")
# A page asks for its own people; beyond that everybody is read once for all pieces of a file.
FEW = 500


def _people(facts: Facts) -> list[_Said]:
    keys = facts.person.tolist()
    if len(keys) > FEW:
        found = cached(
            "what rows say of people", state=lambda: names().version, read=lambda: _said(Person.objects.all())
        )
    else:
        found = _said(Person.objects.filter(pk__in=set(keys)))
    return [found.get(key, _NOBODY) for key in keys]


def _said(people: QuerySet[Person]) -> dict[int, _Said]:
    rows = people.values_list("pk", "family_name", "given_name", "employee_number", "public_id")
    return {key: _Said(f"{family}, {given}", number, token) for key, family, given, number, token in rows}


def _names(facts: Facts) -> list[str]:
    return [person.name for person in _people(facts)]


def _numbers(facts: Facts) -> list[str]:
    return [person.number for person in _people(facts)]


def _records(facts: Facts, _: Any) -> list[str]:
    people = [reverse("records:record", args=[p.public_id]) if p.public_id else "" for p in _people(facts)]
    # What is told as it was known leads to records as they were known: nothing later shows there either.
    return [f"{address}{clocks}" if address else "" for address, clocks in zip(people, _clocks(facts), strict=True)]


def _clocks(facts: Facts) -> list[str]:
    """The day of each row, and the day of knowledge, as the end of an address; nothing where that is now."""
    if facts.known_on is None:
        return [""] * len(facts)
    return [f"?{urlencode({'day': day.isoformat(), 'known': facts.known_on.isoformat()})}" for day in _days(facts)]


def _places(facts: Facts) -> list[str]:
    """Where each row's person was placed on its day."""
    every = placements(facts.known_on)
    rows, places = every.on_the_day(facts)
    units, positions = every.unit[places].tolist(), every.position[places].tolist()
    unit_names, position_names = name_of(Unit, units, "name"), name_of(Position, positions, "name")
    if facts.known_on:
        unit_names |= units_tree(facts.known_on, facts.known_on).name
        position_names |= positions_tree(facts.known_on, facts.known_on).name
    found: list[list[str]] = [[] for _ in range(len(facts))]
    for row, unit, position in zip(rows.tolist(), units, positions, strict=True):
        found[row].append(place_in_words(unit_names[unit], position_names.get(position)))
    return ["; ".join(said) for said in found]


def _days(facts: Facts) -> list[date]:
    return [date.fromordinal(day) for day in facts.day.tolist()]


def _titles(model: Any, value: str, facts: Facts, field: str = "title") -> list[str]:
    keys = facts.values[value].tolist()
    titles = name_of(model, keys, field)
    return [titles.get(key, "") for key in keys]


def _by_name(facts: Facts) -> NDArray[Any]:
    order = names().order
    return order[np.minimum(facts.person, len(order) - 1)] if len(order) else facts.person


def _ordinals(value: str) -> Callable[[Facts], list[date | None]]:
    def days(facts: Facts) -> list[date | None]:
        found = facts.values[value].tolist()
        return [date.fromordinal(day) if 0 < day < NO_DAY else None for day in found]

    return days


def _statuses(facts: Facts) -> list[str]:
    return [str(WORST_FIRST[rank]) for rank in facts.values["rank"].tolist()]


def _why(facts: Facts, _: Any) -> list[str]:
    keys = facts.values["course"].tolist()
    courses = name_of(Course, keys, "public_id")
    # How somebody stood on a day that is over is explained by that day.
    today = clock.today()
    days = [f"?{urlencode({'day': day.isoformat()})}" if day != today else "" for day in _days(facts)]
    clocks = days if facts.known_on is None else _clocks(facts)
    rows = zip(_people(facts), keys, clocks, strict=True)
    return [reverse("records:why", args=[one.public_id, courses[course]]) + when for one, course, when in rows]


def _minutes(facts: Facts) -> list[int]:
    return [round(seconds / 60) for seconds in facts.values["seconds"].tolist()]


def _percents(value: str) -> Callable[[Facts], list[int | None]]:
    def percents(facts: Facts) -> list[int | None]:
        found = facts.values[value].tolist()
        # Shown rounded down (rule 7); what a float lost at its last place is not.
        return [None if number != number else int(np.floor(number * 100 + 1e-9)) for number in found]

    return percents


def _whole(value: str) -> Callable[[Facts], list[int | None]]:
    return lambda facts: [None if n != n else int(n) for n in facts.values[value].tolist()]


def _certificates(facts: Facts) -> list[str]:
    numbers = name_of(Completion, facts.key.tolist(), "number")
    return [numbers[key] for key in facts.key.tolist()]


def _certificate_links(facts: Facts, _: Any) -> list[str]:
    ids = name_of(Completion, facts.key.tolist(), "public_id")
    return [reverse("records:certificate", args=[ids[key]]) for key in facts.key.tolist()]


def _attempts(facts: Facts) -> list[str]:
    rows = Attempt.objects.filter(pk__in=facts.key.tolist()).values_list("pk", "number", "status")
    found = {key: f"{number}, {status or 'begun'}" for key, number, status in rows}
    return [found[key] for key in facts.key.tolist()]


def _seats(facts: Facts) -> list[str]:
    return [SEAT_STATES[code] for code in facts.values["seat"].tolist()]


def _sessions(facts: Facts, account: Any) -> list[str]:
    """To the sessions that one may open: who sees records need not run sessions."""
    keys = facts.values["session"].tolist()
    opened = policy.visible(account, "open sessions", Session.objects.filter(pk__in=set(keys)))
    ids = dict(opened.values_list("pk", "public_id"))
    return [reverse("timetable:session", args=[ids[key]]) if key in ids else "" for key in keys]


def _acts(facts: Facts) -> list[str]:
    return [ACTS[code] for code in facts.values["act"].tolist()]


def _yes(value: str) -> Callable[[Facts], list[str]]:
    return lambda facts: ["yes" if true else "" for true in facts.values[value].tolist()]


def _questions(facts: Facts) -> list[str]:
    return [text[:120] for text in _titles(Question, "question", facts, "asked")]


def _of(*keys: str) -> frozenset[str]:
    return frozenset(keys)


def _value(name: str) -> Callable[[Facts], NDArray[Any]]:
    return lambda facts: facts.values[name]


COLUMNS = (
    RowColumn("name", "Name", _names, 10, sort=_by_name, link=_records, is_head=True),
    RowColumn("number", "Number", _numbers, 20, files_only=True),
    RowColumn("where", "Unit and position then", _places, 30, css="small"),
    RowColumn(
        "course",
        "Course",
        lambda facts: _titles(Course, "course", facts),
        40,
        _of("requirements", "completions", "time", "attempts", "answers", "use"),
        sort=_value("course"),
    ),
    RowColumn(
        "module",
        "Module",
        lambda facts: _titles(Module, "module", facts),
        50,
        _of("time", "attempts", "seats", "answers", "use"),
        sort=_value("module"),
    ),
    RowColumn("question", "Question", _questions, 55, _of("answers")),
    RowColumn("act", "What", _acts, 58, _of("use"), sort=_value("act")),
    RowColumn("status", "Status", _statuses, 60, _of("requirements"), sort=_value("rank"), link=_why),
    RowColumn("due", "Due", _ordinals("due"), 62, _of("requirements"), sort=_value("due"), css="nowrap"),
    RowColumn(
        "valid",
        "Valid until",
        _ordinals("valid_until"),
        64,
        _of("requirements"),
        sort=_value("valid_until"),
        css="nowrap",
    ),
    RowColumn("seat", "Seat", _seats, 60, _of("seats"), sort=_value("seat"), link=_sessions),
    RowColumn("attempt", "Attempt", _attempts, 60, _of("attempts"), css="small"),
    RowColumn("first", "First marked", _yes("is_first_marked"), 62, _of("attempts")),
    RowColumn("passed", "Passed", _yes("has_passed"), 64, _of("attempts")),
    RowColumn("gain", "Gain", _percents("gain"), 66, _of("attempts"), sort=_value("gain"), css="n"),
    RowColumn("right", "Right", _percents("share"), 60, _of("answers"), sort=_value("share"), css="n"),
    RowColumn("minutes", "Minutes", _minutes, 60, _of("time"), sort=_value("seconds"), css="n"),
    RowColumn("signin", "Sign-in", _yes("can_sign_in"), 60, _of("people")),
    RowColumn("active", "Opened something", _yes("was_active"), 62, _of("people")),
    RowColumn("learned", "Learned", _yes("has_learned"), 64, _of("people")),
    RowColumn("day", "On", _days, 80, sort=lambda facts: facts.day, css="nowrap"),
    RowColumn("taken", "Days taken", _whole("days_taken"), 84, _of("completions"), sort=_value("days_taken"), css="n"),
    RowColumn("score", "Score, %", _percents("score"), 86, _of("completions"), sort=_value("score"), css="n nowrap"),
    RowColumn("certificate", "Certificate", _certificates, 88, _of("completions"), link=_certificate_links, css="fig"),
)


def register() -> None:
    """Hand in the columns."""
    for column in COLUMNS:
        add_row_column(column)
