"""Persons, placements, leave, and fields of the organisation's own."""

from stepladder.people.models.fields import FieldValue, PersonField
from stepladder.people.models.persons import Employment, Leave, Person, Placement
from stepladder.people.models.position_roles import PositionRole

__all__ = [
    "Employment",
    "FieldValue",
    "Leave",
    "Person",
    "PersonField",
    "Placement",
    "PositionRole",
]
