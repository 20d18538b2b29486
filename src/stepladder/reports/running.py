"""Running a report: its groups, its figures, and the rows that a figure opens. Rule: 16."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import is_one_of
from stepladder.core.reports import (
    NO_GROUP,
    PERIODS,
    Cells,
    Count,
    Facts,
    Figure,
    Groups,
    PerHead,
    PersonCells,
    Rate,
    ReportPeriod,
    Value,
    grouped,
    period_codes,
)
from stepladder.reports.counted import Span
from stepladder.reports.counting.people import heads_on
from stepladder.reports.groupings import Grouping, grouping_named, period_names
from stepladder.reports.placing import Placed
from stepladder.reports.sentences import Asked

__all__ = ["Line", "Report", "names_of", "opened", "run"]

Codes = tuple[int, ...]
# What groupings need that go by the course of a row.
OF_COURSES = ("course", "topic")


@dataclass(frozen=True)
class Line:
    """A group, or a pair of groups: its codes, what they are called, and its figures by key."""

    codes: Codes
    names: tuple[str, ...]
    values: Mapping[str, Value]


@dataclass(frozen=True)
class Report:
    """What came of a report: the figures of everything, and of each group in the order in which one reads them.

    By two groupings the lines have the asked figure, on a board those that part its bars too; *total* has all
    figures: of the span, or of its last day.
    """

    asked: Asked
    lines: Sequence[Line]
    total: Mapping[str, Value]

    @cached_property
    def across(self) -> list[tuple[int, str]]:
        """By two groupings: the second one's codes with their names, in order."""
        there = {line.codes[1] for line in self.lines}
        return [(code, name) for code, name in _order_of(self.asked, 1, there) if code in there]

    @cached_property
    def down(self) -> list[tuple[int, str]]:
        """The first grouping's codes with their names, in order."""
        return list(dict.fromkeys((line.codes[0], line.names[0]) for line in self.lines))

    @cached_property
    def by_codes(self) -> dict[Codes, Line]:
        return {line.codes: line for line in self.lines}


def run(asked: Asked) -> Report:
    """The figures of a report."""
    figures = _figures(asked)
    found: dict[Codes, dict[str, Value]] = {}
    periods = asked.periods
    place = next((n for n, key in enumerate(asked.groupings) if key in PERIODS), 0)
    whole: Facts | None = None
    if asked.counted.is_state and periods:
        for number, period in enumerate(periods):
            for codes, values in _tally(asked, asked.span_of(period), figures).items():
                found[(*codes[:place], number, *codes[place:])] = values
    else:
        whole = None if _merged_by(asked, asked.groupings, figures) else _read(asked, asked.span)
        found = _tally(asked, asked.span, figures, facts=whole)
    if len(asked.groupings) == 1 and len(found) < len(periods):
        # A period in which nothing was counted is there too, with 0 of it.
        empty = _empty(asked, figures)
        for number in range(len(periods)):
            found.setdefault((number,), empty)
    # Of states the last day is that of its last period; of acts all are added up.
    total = _tally(asked, asked.span, list(asked.counted.figures), in_total=True, facts=whole)[()]
    return Report(asked, _named(asked, found), total)


def _figures(asked: Asked) -> list[Figure]:
    figures = list(asked.counted.figures)
    if len(asked.groupings) < 2:
        return figures
    parted_by = asked.counted.standing if asked.is_board else None
    return [figure for figure in figures if figure.key in (asked.figure.key, *(parted_by or ()))]


def _read(asked: Asked, span: Span) -> Facts:
    """The facts of a span; those of all the days of acts once for as long as the report runs."""
    if asked.counted.is_state:
        return asked.counted.read(span)
    if "facts" not in asked.kept:
        asked.kept["facts"] = asked.counted.read(span)
    facts: Facts = asked.kept["facts"]
    return facts


def _empty(asked: Asked, figures: Sequence[Figure]) -> dict[str, Value]:
    """What figures come to where there are no rows."""
    facts = _read(asked, asked.span)
    nobody = facts.picked(np.zeros(len(facts), dtype=bool))
    none = np.zeros(0, dtype=np.int64)
    return {figure.key: figure.values(Cells(nobody, none, none, 1))[0] for figure in figures}


def _tally(
    asked: Asked, span: Span, figures: Sequence[Figure], *, in_total: bool = False, facts: Facts | None = None
) -> dict[Codes, dict[str, Value]]:
    """The figures of each group of the *facts* of a span (None: they are read). Of states the period is the span, and no grouping."""
    keys = [] if in_total else [key for key in asked.groupings if not (asked.counted.is_state and key in PERIODS)]
    merged_by = "" if facts is not None else _merged_by(asked, keys, figures)
    facts = _read(asked, replace(span, figures_only=True, merged_by=merged_by)) if facts is None else facts
    if merged_by == "person":
        cells, codes = _cells_of_people(asked, facts, keys)
    else:
        placed = Placed.of(facts, asked.reach, needs_places=any(_is_placed(key) for key in keys))
        row, place, codes = grouped([_groups(asked, key, placed) for key in keys], len(placed.facts))
        cells = Cells(placed.facts, row, place, len(codes))
    if any(isinstance(figure, PerHead) for figure in figures):
        cells = Cells(cells.facts, cells.row, cells.place, cells.count, _heads(asked, span, keys, codes))
    by_figure = {figure.key: figure.values(cells) for figure in figures}
    return {code: {key: values[n] for key, values in by_figure.items()} for n, code in enumerate(codes)}


def _merged_by(asked: Asked, keys: Sequence[str], figures: Sequence[Figure]) -> str:
    """By what rows that are alike may come as one: "person" where they count only by whose they are, "course" where only by what they
    are of; "" where each has to come for itself."""
    if not asked.counted.is_state:
        return ""
    if len(keys) < 2 and not any(_needs(key) for key in keys):
        return "person"
    # Who is to be counted once has to be there.
    is_plain = all(isinstance(figure, Count | Rate) and not figure.once for figure in figures)
    return "course" if asked.reach.is_everybody and is_plain and all(_needs(key) in OF_COURSES for key in keys) else ""


def _cells_of_people(asked: Asked, facts: Facts, keys: Sequence[str]) -> tuple[Cells, list[Codes]]:
    """By what people are in: their groups are looked at once for each of them."""
    placed = _people_placed(asked, facts, needs_places=bool(keys))
    facts = facts.picked(is_one_of(facts.person, placed.facts.person.tolist()))
    row, place, codes = grouped([_groups(asked, key, placed) for key in keys], len(placed.facts))
    of_person = np.searchsorted(placed.facts.person, facts.person)
    cells = PersonCells(facts, row, place, len(codes), None, of_person, len(placed.facts))
    return cells, codes


def _people_placed(asked: Asked, facts: Facts, *, needs_places: bool) -> Placed:
    people = np.flatnonzero(np.bincount(facts.person)) if len(facts) else facts.person
    day = facts.day[:1] if len(facts) else facts.day
    of_people = Facts(people, people, np.repeat(day, len(people)) if len(facts) else day, known_on=facts.known_on)
    return Placed.of(of_people, asked.reach, needs_places=needs_places)


def _heads(asked: Asked, span: Span, keys: Sequence[str], codes: Sequence[Codes]) -> NDArray[np.int64]:
    """How many people each group has on the last day of the span: of those groups that people are in; the others have all."""
    of_people = [n for n, key in enumerate(keys) if _is_placed(key)]
    placed = Placed.of(heads_on(span), asked.reach, needs_places=bool(of_people))
    _, place, found = grouped([_groups(asked, keys[n], placed) for n in of_people], len(placed.facts))
    counts = dict(zip(found, np.bincount(place, minlength=len(found)).tolist(), strict=True))
    return np.array([counts.get(tuple(code[n] for n in of_people), 0) for code in codes], dtype=np.int64)


def _needs(key: str) -> str:
    grouping = grouping_named(key)
    return grouping.needs if grouping else key


def _is_placed(key: str) -> bool:
    return key not in PERIODS and not _needs(key)


def _groups(asked: Asked, key: str, placed: Placed) -> Groups:
    if key in PERIODS:
        codes = period_codes(placed.facts.day, asked.periods)
        return Groups(np.arange(len(codes)), codes)
    return _grouping(key).groups(placed)


def _grouping(key: str) -> Grouping:
    found = grouping_named(key)
    assert found is not None, "a sentence is asked only by what there is"
    return found


def _named(asked: Asked, found: Mapping[Codes, Mapping[str, Value]]) -> list[Line]:
    """The lines in the order in which one reads their groups, each with its names."""
    places, names = [], []
    for place in range(len(asked.groupings)):
        order = _order_of(asked, place, {codes[place] for codes in found})
        places.append({code: n for n, (code, _) in enumerate(order)})
        names.append(dict(order))
    if len(asked.groupings) == 2:
        # A large firm's report has tens of thousands of lines.
        (first, second), (one, other) = places, names
        lines = sorted(found, key=lambda codes: (first[codes[0]], second[codes[1]]))
        return [Line(codes, (one[codes[0]], other[codes[1]]), found[codes]) for codes in lines]
    lines = sorted(found, key=lambda codes: [place[code] for place, code in zip(places, codes, strict=True)])
    if asked.groupings and asked.order:
        lines = _by_figure(lines, found, asked.order)
    return [Line(codes, tuple(n[code] for n, code in zip(names, codes, strict=True)), found[codes]) for codes in lines]


def _by_figure(lines: Sequence[Codes], found: Mapping[Codes, Mapping[str, Value]], order: str) -> list[Codes]:
    """Lines by a figure, "-" before it: the highest first; those without one last."""
    key, down = order.lstrip("-"), order.startswith("-")

    def place(codes: Codes) -> tuple[bool, float]:
        number = found[codes][key].number
        return number is None, 0.0 if number is None else -number if down else number

    return sorted(lines, key=place)


def _order_of(asked: Asked, place: int, codes: set[int]) -> list[tuple[int, str]]:
    """(code, name) of the groups of a grouping, in order; periods all of them, those in no group last."""
    key = asked.groupings[place]
    if key in PERIODS:
        periods: list[ReportPeriod] = asked.periods
        return list(enumerate(period_names(key, periods)))
    grouping = _grouping(key)
    named = grouping.names(sorted(codes - {NO_GROUP}), asked.known_on)
    lost = sorted(codes - {NO_GROUP} - {code for code, _ in named})
    named += [(code, "no longer there") for code in lost]
    return [*named, (NO_GROUP, grouping.nothing)] if NO_GROUP in codes else named


def opened(asked: Asked, codes: Codes, figure: Figure, *, part: bool) -> Facts:
    """The rows that a figure of a group counts (() of all of them); of a rate its numerator, if *part* is asked for."""
    span, keys = asked.span, list(asked.groupings)
    wanted = list(codes)
    if asked.counted.is_state and asked.period:
        place = keys.index(asked.period)
        keys.pop(place)
        if wanted:
            periods = asked.periods
            number = wanted.pop(place)
            span = asked.span_of(periods[number]) if 0 <= number < len(periods) else span
    facts = _read(asked, span)
    # First what is counted at all: the groups of the others are not asked for.
    placed = Placed.of(facts, asked.reach, needs_places=bool(wanted) and any(_is_placed(key) for key in keys))
    inside = np.ones(len(placed.facts), dtype=bool)
    for key, code in zip(keys, wanted, strict=False):
        groups = _groups(asked, key, placed)
        of_group = np.zeros(len(inside), dtype=bool)
        of_group[groups.row[groups.code == code]] = True
        inside &= of_group
    rows = placed.facts.picked(inside)
    return rows.picked(figure.opened(rows, part=part))


def names_of(asked: Asked, codes: Codes) -> list[str]:
    """What the groups of these codes are called."""
    names = []
    for place, code in enumerate(codes):
        said = dict(_order_of(asked, place, {code}))
        names.append(said.get(code, "no longer there"))
    return names
