"""Requirements as they are, or as they would be if everybody who is booked attended. Rule: 5, "As of"."""

from __future__ import annotations

from datetime import date

from stepladder.accounts.organisation import organisation
from stepladder.assignments import columns
from stepladder.assignments.column_reading import links_of
from stepladder.core.columns import LinkColumns, RequirementColumns, requirements_on
from stepladder.learning.validity import derive_spans
from stepladder.timetable.forecast import supposed_completions

__all__ = ["path_requirement_columns", "requirement_columns"]


def requirement_columns(*, day: date, known_on: date, attending: bool = False) -> RequirementColumns:
    """Every open requirement on a day, as known on a day. *attending*: everybody who is booked attends until then.

    What is supposed of seats is worked out each time: nobody tells when a seat changes hands.
    """
    if not attending:
        return columns.requirement_columns(day=day, known_on=known_on)
    tables = columns.everything().tables
    links, soon = _attended(tables.links, day), organisation().soon_days
    return requirements_on(tables.reasons, links, tables.waivers, day=day, known_on=known_on, soon_days=soon)


def path_requirement_columns(*, day: date, known_on: date, attending: bool = False) -> RequirementColumns:
    """The same of paths: *course* is the path."""
    links = _attended(columns.everything().tables.links, day) if attending else None
    return columns.path_columns_on(day=day, known_on=known_on, links=links)


def _attended(links: LinkColumns, day: date) -> LinkColumns:
    """The links as they would be if everybody who is booked in a session up to a day attended it."""
    supposed = supposed_completions(day)
    people = sorted({completion.person_id for completion in supposed})
    if not people:
        return links
    return links.replaced(people, links_of(derive_spans(people=people, also=supposed)))
