"""Persons, charts, placements, leave, leads and groups."""

from stepladder.people.models.charts import (
    BEGINNING,
    AdministeredPart,
    Branch,
    Chart,
    Node,
    Position,
    PositionBranch,
    Site,
    Unit,
    UnitBranch,
)
from stepladder.people.models.fields import FieldValue, PersonField
from stepladder.people.models.groups import Group, GroupRule
from stepladder.people.models.imports import Import, ImportRow
from stepladder.people.models.leads import Lead
from stepladder.people.models.persons import Employment, Leave, Person, Placement

__all__ = [
    "BEGINNING",
    "AdministeredPart",
    "Branch",
    "Chart",
    "Employment",
    "FieldValue",
    "Group",
    "GroupRule",
    "Import",
    "ImportRow",
    "Lead",
    "Leave",
    "Node",
    "Person",
    "PersonField",
    "Placement",
    "Position",
    "PositionBranch",
    "Site",
    "Unit",
    "UnitBranch",
]
