"""The forms of People."""

from stepladder.people.forms.fields import PersonChoice, PlacementChoice
from stepladder.people.forms.persons import AbsenceForm, EditForm, EndForm, FirstDayForm, HireForm, LeaveForm, MoveForm

__all__ = [
    "AbsenceForm",
    "EditForm",
    "EndForm",
    "FirstDayForm",
    "HireForm",
    "LeaveForm",
    "MoveForm",
    "PersonChoice",
    "PlacementChoice",
]
