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
from stepladder.people.forms.fields import PersonChoice, PlacementChoice
from stepladder.people.forms.groups import GroupForm
from stepladder.people.forms.leads import LeadForm, LeadManyForm
from stepladder.people.forms.persons import AbsenceForm, EditForm, EndForm, HireForm, LeaveForm, MoveForm
from stepladder.people.forms.tree_choice import TreeChoice

__all__ = [
    "AbsenceForm",
    "ChartForm",
    "CloseNodeForm",
    "EditForm",
    "EndForm",
    "GroupForm",
    "HireForm",
    "LeadForm",
    "LeadManyForm",
    "LeaveForm",
    "MoveForm",
    "MoveNodeForm",
    "NodeForm",
    "PersonChoice",
    "PlacementChoice",
    "RenameChartForm",
    "RenameForm",
    "SiteForm",
    "TreeChoice",
]
