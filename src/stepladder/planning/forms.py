"""The form of a plan; whom it is for is read by reaches.reach_forms."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django import forms
from django.http import QueryDict

from stepladder import clock
from stepladder.library.models import Module, ModuleState
from stepladder.people.models import PersonField
from stepladder.planning.actions import PlanAsked
from stepladder.reaches.reach_forms import stored_reach
from stepladder.timetable import kind
from stepladder.timetable.models import Room
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["PlanForm"]


class PlanForm(CommonForm, forms.Form):
    """Which session, when, where, and what is to be heeded."""

    module = forms.ModelChoiceField(
        Module.objects.none(),
        label="Session",
        to_field_name="public_id",
        empty_label="Choose what is taught",
        error_messages={"required": "choose what is taught."},
    )
    first = DayField(label="From", initial=lambda: clock.today() + timedelta(days=1))
    last = DayField(label="To", initial=lambda: clock.today() + timedelta(days=42))
    minutes = forms.IntegerField(
        label="Minutes", min_value=15, max_value=12 * 60, required=False, help_text="Empty: as long as it is."
    )
    seats = forms.IntegerField(
        label="Seats at most", min_value=1, max_value=2000, required=False, help_text="Empty: as many as the room has."
    )
    rooms = forms.ModelMultipleChoiceField(
        Room.objects.select_related("venue"),
        label="In these rooms",
        to_field_name="public_id",
        required=False,
        widget=forms.CheckboxSelectMultiple,
        help_text="None chosen: in any, within their hours.",
    )
    by_site = forms.BooleanField(label="everybody at their own site", required=False, initial=True)
    away_most = forms.IntegerField(
        label="Of a unit away at once, people",
        min_value=1,
        max_value=2000,
        required=False,
        help_text="Empty: no limit.",
    )
    away_share = forms.IntegerField(
        label="or percent of it",
        min_value=1,
        max_value=100,
        required=False,
        help_text="Where both are said, the smaller.",
    )
    language_field = forms.ModelChoiceField(
        PersonField.objects.none(),
        label="Their language stands in",
        to_field_name="public_id",
        required=False,
        empty_label="it does not matter",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        named: Any = self.fields
        modules = Module.objects.filter(kind=kind.KIND.name).exclude(state=ModuleState.WITHDRAWN)
        named["module"].queryset = modules.order_by("title")
        named["language_field"].queryset = PersonField.objects.filter(is_ended=False)

    def asked(self, data: QueryDict) -> PlanAsked:
        """What a valid form asks for, with the reach that was sent beside it."""
        said = self.cleaned_data
        module = said["module"]
        return PlanAsked(
            module=module,
            reach=stored_reach(data),
            first=said["first"],
            last=said["last"],
            minutes=said["minutes"] or module.minutes or 60,
            seats=said["seats"] or max((room.seats for room in said["rooms"] or Room.objects.all()), default=1),
            rooms=list(said["rooms"]),
            away_most=said["away_most"],
            away_share=said["away_share"],
            by_site=said["by_site"],
            language_field=said["language_field"],
        )
