"""The forms of People."""

from stepladder.people.forms.fields import PersonChoice, PlacementChoice
from stepladder.people.forms.persons import AbsenceForm, EditForm, EndForm, HireForm, LeaveForm, MoveForm

__all__ = [
    "AbsenceForm",
    "EditForm",
    "EndForm",
    "HireForm",
    "LeaveForm",
    "MoveForm",
    "PersonChoice",
    "PlacementChoice",
]
