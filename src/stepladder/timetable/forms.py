"""Planning sessions, changing them, and filling them."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django import forms
from django.forms import BaseFormSet, formset_factory

from stepladder import clock
from stepladder.library.models import Module, ModuleState
from stepladder.people.forms import PersonChoice
from stepladder.people.models import Person
from stepladder.timetable import kind
from stepladder.timetable.actions import MeetingPlan
from stepladder.timetable.models import Room, Session
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = [
    "CancelForm",
    "DetailsForm",
    "MeetingForms",
    "PlaceForm",
    "PlanForm",
    "RoomForm",
    "SeatsForm",
    "WeekForm",
    "meeting_forms",
    "plans_of",
]


class MeetingForm(CommonForm, forms.Form):
    """One meeting: its day, when it begins, and how long it lasts."""

    day = DayField(label="Day", error_messages={"required": "Say on which day it meets."})
    start = forms.TimeField(
        label="Begins",
        widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"),
        error_messages={
            "required": "Say when it begins.",
            "invalid": "This is no time of the day. Write it like 14:30.",
        },
    )
    minutes = forms.IntegerField(
        label="Minutes",
        min_value=5,
        max_value=24 * 60,
        error_messages={"required": "Say how long it lasts."},
    )


class _Meetings(BaseFormSet[MeetingForm]):
    def clean(self) -> None:
        if not any(self.errors) and not plans_of(self):
            raise forms.ValidationError("A session needs at least one meeting. Say on which day it begins, and when.")


MeetingForms = formset_factory(MeetingForm, formset=_Meetings, extra=3, max_num=30)


def meeting_forms(data: Any, first: Sequence[dict[str, Any]] = ()) -> BaseFormSet[MeetingForm]:
    """The meetings as a form; three empty ones at the end for more."""
    return MeetingForms(data or None, initial=list(first), prefix="meetings")


def plans_of(forms: BaseFormSet[MeetingForm]) -> list[MeetingPlan]:
    """The meetings that were filled in."""
    filled = [form.cleaned_data for form in forms.forms if form.is_valid() and form.cleaned_data.get("day")]
    return [MeetingPlan(sent["day"], sent["start"], sent["minutes"]) for sent in filled]


class RoomSelect(forms.Select):
    """Rooms that carry their seats, so that choosing one can fill in how many there are (plan.js)."""

    def create_option(self, *args: Any, **more: Any) -> dict[str, Any]:
        option = super().create_option(*args, **more)
        room = getattr(option["value"], "instance", None)
        if room is not None:
            option["attrs"]["data-seats"] = room.seats
        return option


class RoomChoice(forms.ModelChoiceField[Room]):
    """Rooms with their seats, by venue."""

    widget = RoomSelect

    def label_from_instance(self, obj: Room) -> str:
        return f"{obj}, {obj.seats} seats"


class PlaceForm(CommonForm, forms.Form):
    """Where a session is: in a room, or live online."""

    room = RoomChoice(
        Room.objects.select_related("venue"),
        to_field_name="public_id",
        label="Room",
        required=False,
        empty_label="Live online",
    )
    live_address = forms.URLField(
        label="Address to join at",
        required=False,
        max_length=300,
        assume_scheme="https",
        help_text="For a session live online. Empty: a meeting room is opened for it.",
    )
    despite_clashes = forms.BooleanField(label="Plan it in spite of the clashes", required=False)


class _Details(CommonForm, forms.Form):
    instructors = PersonChoice(label="Who teaches")
    language = forms.CharField(label="Language", max_length=40, required=False)
    last_booking_day = DayField(label="Last day to book", required=False, help_text="Empty: until it begins.")
    order = forms.ChoiceField(label="A freed seat goes to", choices=Session.Order.choices, initial=Session.Order.NEED)
    note = forms.CharField(
        label="Note for those who come",
        required=False,
        max_length=1000,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="What to bring, where to meet.",
    )

    def boxes(self) -> list[tuple[str, str, list[Person]]]:
        """The box that names people: (field, title, those named)."""
        field: Any = self.fields["instructors"]
        named = field.chosen(self.data, "instructors") if self.is_bound else list(self.initial.get("instructors", ()))
        return [("instructors", field.label, named)]

    def clean_instructors(self) -> list[Person]:
        return list(self.cleaned_data["instructors"])


# How many weeks lie between two sessions of a series.
EVERY = [("", "once"), ("1", "every week"), *((str(n), f"every {n} weeks") for n in (2, 3, 4, 8, 13, 26, 52))]
MOST_TIMES = 53


class PlanForm(PlaceForm, _Details):
    """A session to come, without its meetings."""

    module = forms.ModelChoiceField(
        Module.objects.filter(kind=kind.KIND.name, state=ModuleState.RELEASED).order_by("title"),
        to_field_name="public_id",
        label="What is taught",
        empty_label="Choose",
    )
    capacity = forms.IntegerField(label="Seats", min_value=1, max_value=2000)
    every = forms.TypedChoiceField(
        label="It takes place",
        choices=EVERY,
        required=False,
        coerce=int,
        empty_value=None,
        help_text="The same hours, room and instructors each time; every session has seats of its own.",
    )
    times = forms.IntegerField(
        label="Sessions in all",
        min_value=2,
        max_value=MOST_TIMES,
        required=False,
        error_messages={
            "min_value": "A series has two sessions at least. Choose “once” for a single one.",
            "max_value": f"{MOST_TIMES} sessions are planned at once at most.",
        },
    )
    field_order = ("module", "room", "live_address", "capacity", "instructors", "language", "last_booking_day")

    def clean(self) -> dict[str, Any]:
        found = super().clean() or self.cleaned_data
        if found.get("every") and "times" in found and found["times"] is None:
            self.add_error("times", "Say how many sessions there are in all.")
        return found


class DetailsForm(_Details):
    """Who teaches, and what else can change without anybody having to be told."""

    despite_clashes = forms.BooleanField(label="Keep it in spite of the clashes", required=False)


class SeatsForm(CommonForm, forms.Form):
    """How many seats there are."""

    capacity = forms.IntegerField(label="Seats", min_value=1, max_value=2000)


class CancelForm(CommonForm, forms.Form):
    """Why a session does not take place, and where those in it go."""

    because = forms.CharField(label="Why", max_length=300, help_text="Everybody who had a seat, or waited, reads it.")
    move_to = forms.ChoiceField(label="Whoever had a seat", required=False)

    def __init__(self, *args: Any, choices: Sequence[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        field: Any = self.fields["move_to"]
        field.choices = [("", "books anew"), *choices]


class RoomForm(CommonForm, forms.Form):
    """A room of a venue."""

    venue = forms.CharField(label="Venue", max_length=120)
    name = forms.CharField(label="Room", max_length=120)
    seats = forms.IntegerField(label="Seats", min_value=1, max_value=2000)


class WeekForm(CommonForm, forms.Form):
    """The day whose week is shown: `?on=2027-03-14`."""

    on = DayField(label="Week of", required=False)

    def day(self) -> date:
        """The day asked for; today where it is none."""
        asked = self.cleaned_data.get("on") if self.is_valid() else None
        return asked or clock.today()
