"""By what reports group: apps hand it in. Rule: 16."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import date
from functools import partial
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Position, Unit
from stepladder.core.reports import PERIODS, Groups, ReportPeriod, groups_of_codes, groups_through, period_codes
from stepladder.courses.models import Course
from stepladder.courses.queries import courses_of_modules
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.quizzes.models import Question
from stepladder.reports.codes import kind_names
from stepladder.reports.counted import Counted
from stepladder.reports.placing import LEVELS, Placed, main_chart
from stepladder.timetable.models import Session, Venue
from stepladder.topics.models import Topic
from stepladder.web.templatetags.web import day as written

__all__ = ["Grouping", "add_grouping", "grouping_named", "groupings_of", "is_period", "period_names"]

Names = Callable[[Sequence[int], date | None], list[tuple[int, str]]]


@dataclass(frozen=True)
class Grouping:
    """A way to group by its *key*; *word* stands in the sentence after "by".

    *groups* says in which groups rows are; *names* gives codes in the order in
    which one reads them, with what each is called, as known on a day (None: now) where that may have been something else.
    *needs*: the value that rows have for it, "" where it is by where their people were placed.
    """

    key: str
    word: str
    groups: Callable[[Placed], Groups]
    names: Names
    needs: str = ""
    # What a row is called that is in none of its groups.
    nothing: str = "none"


_groupings: dict[str, Grouping] = {}


def add_grouping(grouping: Grouping) -> None:
    """Hand in a way to group."""
    _groupings[grouping.key] = grouping


def grouping_named(key: str) -> Grouping | None:
    return _groupings.get(key)


def is_period(key: str) -> bool:
    return key in PERIODS


def groupings_of(counted: Counted) -> list[Grouping]:
    """By what the rows of something can be grouped, periods apart."""
    return [g for g in _groupings.values() if (g.needs in counted.groups if g.needs else counted.has_people)]


def period_names(unit: str, periods: Sequence[ReportPeriod]) -> list[str]:
    """What each period is called: "Nov 2026", "Oct to Dec 2026", "from 23 Nov 2026"."""
    calendar = clock.calendar()
    names = []
    for period in periods:
        start, end = calendar.start_of(unit, period.first), calendar.end_of(unit, period.first)
        if unit == "week":
            names.append(f"from {written(start)}")
        elif unit == "month":
            names.append(f"{start:%b %Y}")
        elif unit == "quarter":
            names.append(f"{start:%b} to {end:%b %Y}")
        else:
            names.append(str(start.year) if start.year == end.year else f"{start:%b %Y} to {end:%b %Y}")
    return names


def _unit_names(codes: Sequence[int], known_on: date | None) -> list[tuple[int, str]]:
    """Units in the order of the chart; those that stand no longer last, by what they were called."""
    tree = units_tree(known_on, known_on)
    wanted = set(codes)
    found = [(node, tree.name[node]) for node, _ in tree.walk() if node in wanted]
    gone = wanted - {node for node, _ in found}
    return found + sorted(Unit.objects.filter(pk__in=gone).values_list("pk", "name"), key=lambda row: row[1])


def _position_names(codes: Sequence[int], known_on: date | None) -> list[tuple[int, str]]:
    tree = positions_tree(known_on, known_on)
    wanted = set(codes)
    found = [(node, tree.name[node]) for node, _ in tree.walk() if node in wanted]
    gone = wanted - {node for node, _ in found}
    return found + sorted(Position.objects.filter(pk__in=gone).values_list("pk", "name"), key=lambda row: row[1])


def _by_field(model: Any, field: str, codes: Sequence[int], _: date | None) -> list[tuple[int, str]]:
    return list(model._default_manager.filter(pk__in=list(codes)).order_by(field, "pk").values_list("pk", field))


def _people(codes: Sequence[int], _: date | None) -> list[tuple[int, str]]:
    rows = Person.objects.filter(pk__in=list(codes)).order_by("family_name", "given_name", "pk")
    return [(key, f"{family}, {given}") for key, family, given in rows.values_list("pk", "family_name", "given_name")]


def _topics(codes: Sequence[int], _: date | None) -> list[tuple[int, str]]:
    rows = Topic.objects.filter(pk__in=list(codes)).select_related("parent")
    named = [(row.pk, f"{row.parent.name} › {row.name}" if row.parent else row.name) for row in rows]
    return sorted(named, key=lambda row: row[1])


def _questions(codes: Sequence[int], _: date | None) -> list[tuple[int, str]]:
    rows = Question.objects.filter(pk__in=list(codes)).order_by("pk").values_list("pk", "asked")
    return [(key, (asked[:80] + "…" if len(asked) > 80 else asked) or "a question") for key, asked in rows]


def _kinds(codes: Sequence[int], _: date | None) -> list[tuple[int, str]]:
    every = kind_names()
    return [(code, every[code][1]) for code in sorted(codes)]


def _course(placed: Placed) -> Groups:
    values = placed.facts.values
    if "course" in values:
        return groups_of_codes(values["course"])
    return groups_through(values["module"], courses_of_modules())


def _topic(placed: Placed) -> Groups:
    topics: dict[int, list[int]] = defaultdict(list)
    for course, topic in Course.topics.through.objects.values_list("course_id", "topic_id"):
        topics[course].append(topic)
    values = placed.facts.values
    if "course" in values:
        return groups_through(values["course"], topics)
    through = {
        module: sorted({topic for course in courses for topic in topics.get(course, ())})
        for module, courses in courses_of_modules().items()
    }
    return groups_through(values["module"], through)


def _instructor(placed: Placed) -> Groups:
    taught: dict[int, list[int]] = defaultdict(list)
    for session, person in Session.instructors.through.objects.values_list("session_id", "person_id"):
        taught[session].append(person)
    return groups_through(placed.facts.values["session"], taught)


def _value(name: str, placed: Placed) -> Groups:
    return groups_of_codes(placed.facts.values[name])


def by_period(placed: Placed, periods: list[ReportPeriod]) -> NDArray[np.int64]:
    """For each row the place of the period that its day is in."""
    return period_codes(placed.facts.day, periods)


_LEVEL_WORDS = {1: "unit, top level", 2: "unit, second level", 3: "unit, third level", 0: "own unit"}


def register() -> None:
    """Hand in the ways to group."""
    for level in LEVELS:
        add_grouping(
            Grouping(
                f"unit{level}" if level else "unit",
                _LEVEL_WORDS[level],
                partial(_units, level),
                _unit_names,
                nothing="placed nowhere",
            )
        )
    add_grouping(Grouping("position", "position", Placed.positions, _position_names, nothing="at no position"))
    add_grouping(Grouping("course", "course", _course, partial(_by_field, Course, "title"), "course", "in no course"))
    add_grouping(Grouping("topic", "topic", _topic, _topics, "topic", "without a topic"))
    add_grouping(
        Grouping(
            "module", "module", partial(_value, "module"), partial(_by_field, Module, "title"), "module", "no module"
        )
    )
    add_grouping(Grouping("kind", "kind of module", partial(_value, "kind"), _kinds, "kind", "no module"))
    add_grouping(Grouping("question", "question", partial(_value, "question"), _questions, "question"))
    add_grouping(Grouping("instructor", "instructor", _instructor, _people, "instructor", "nobody"))
    add_grouping(
        Grouping("venue", "venue", partial(_value, "venue"), partial(_by_field, Venue, "name"), "venue", "at no venue")
    )


def _units(level: int, placed: Placed) -> Groups:
    return placed.units_at(level, main_chart())
