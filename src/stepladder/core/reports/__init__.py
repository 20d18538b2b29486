"""What reports count, by which groups, and what figures that makes. Rule: 16."""

from stepladder.core.reports.days_taken import days_taken
from stepladder.core.reports.facts import Facts, Placements, each_once
from stepladder.core.reports.figures import (
    LEAST_PEOPLE,
    Cells,
    Correlation,
    Count,
    Figure,
    Mean,
    Middle,
    PerHead,
    PersonCells,
    Rate,
    Sum,
    Unit,
    Value,
)
from stepladder.core.reports.groups import (
    NO_GROUP,
    Groups,
    NodesOverTime,
    grouped,
    groups_of_codes,
    groups_through,
    nodes_over_time,
)
from stepladder.core.reports.periods import PERIODS, ReportPeriod, TooManyPeriods, period_codes, periods_of

__all__ = [
    "LEAST_PEOPLE",
    "NO_GROUP",
    "PERIODS",
    "Cells",
    "Correlation",
    "Count",
    "Facts",
    "Figure",
    "Groups",
    "Mean",
    "Middle",
    "NodesOverTime",
    "PerHead",
    "PersonCells",
    "Placements",
    "Rate",
    "ReportPeriod",
    "Sum",
    "TooManyPeriods",
    "Unit",
    "Value",
    "days_taken",
    "each_once",
    "grouped",
    "groups_of_codes",
    "groups_through",
    "nodes_over_time",
    "period_codes",
    "periods_of",
]
