"""Editions as the core knows them."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from fractions import Fraction

from stepladder.core.days import Period
from stepladder.core.sequence import Order, Outline, Part, StepRule
from stepladder.core.validity import Terms, TermsHistory
from stepladder.courses.models import CourseTerms, Edition, Step

__all__ = ["caps_of", "outline_of", "terms_from", "terms_history"]

NO_TERMS = TermsHistory.always(Terms())


def outline_of(edition: Edition, steps: Iterable[Step]) -> Outline:
    """The core's outline of an edition; a step's key is its module's."""
    rules = tuple(
        StepRule(step.module_id, Part(step.part), step.is_obligatory, step.module.minutes, step.weight, step.is_spared)
        for step in steps
    )
    lowest = Fraction(edition.lowest_score, 100) if edition.lowest_score is not None else None
    return Outline(rules, Order(edition.preparation_order), Order(edition.main_order), edition.optional_owed, lowest)


def terms_from(row: CourseTerms) -> Terms:
    """The core's terms of a row."""
    period = Period(row.months, row.days)
    return Terms(period or None, row.window_days, row.grace_days, row.is_calendar_year)


def terms_history(rows: Iterable[CourseTerms]) -> TermsHistory:
    """A course's terms over time."""
    dated = tuple((row.from_day, terms_from(row)) for row in sorted(rows, key=lambda r: r.from_day))
    return TermsHistory(dated) if dated else NO_TERMS


def caps_of(editions: Iterable[Edition]) -> list[tuple[date, int, date]]:
    """(released on, edition, older ones count until) of releases that ask for a retake."""
    return [(e.released_on, e.number, e.retake_by) for e in editions if e.retake_by and e.released_on]
