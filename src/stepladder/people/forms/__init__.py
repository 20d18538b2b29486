"""The forms of People."""

from stepladder.people.forms.charts import (
    ChartForm,
    CloseNodeForm,
    MoveNodeForm,
    NodeForm,
    RenameChartForm,
    RenameForm,
    SiteForm,
)
from stepladder.people.forms.fields import DayField, OnDayForm, PersonChoice, PlacementChoice, TreeChoice
from stepladder.people.forms.leads import GroupForm, LeadForm
from stepladder.people.forms.persons import AbsenceForm, EditForm, EndForm, HireForm, LeaveForm, MoveForm

__all__ = [
    "AbsenceForm",
    "ChartForm",
    "CloseNodeForm",
    "DayField",
    "EditForm",
    "EndForm",
    "GroupForm",
    "HireForm",
    "LeadForm",
    "LeaveForm",
    "MoveForm",
    "MoveNodeForm",
    "NodeForm",
    "OnDayForm",
    "PersonChoice",
    "PlacementChoice",
    "RenameChartForm",
    "RenameForm",
    "SiteForm",
    "TreeChoice",
]
