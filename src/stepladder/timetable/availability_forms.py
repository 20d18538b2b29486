"""When a room can be had; when somebody teaches, and what."""

from __future__ import annotations

from datetime import time
from typing import Any

from django import forms

from stepladder.charts.models import Site
from stepladder.library.models import Module, ModuleState
from stepladder.timetable import kind
from stepladder.timetable.availability import WEEKDAYS
from stepladder.timetable.models import Room, RoomHours, Teaching
from stepladder.web.forms import CommonForm

__all__ = ["HoursForm", "TeachingForm"]

DAYS = [(str(number), name) for number, name in enumerate(WEEKDAYS)]


class HoursForm(CommonForm, forms.Form):
    """The hours of a room, a line a weekday; and whose people its venue is for."""

    site = forms.ModelChoiceField(
        Site.objects.order_by("name"),
        label="For people of the site",
        required=False,
        empty_label="any site",
        help_text="It is its venue’s: the planner seats people where they are.",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for number, name in DAYS:
            for part, word in (("opens", "from"), ("closes", "to")):
                self.fields[f"{part}{number}"] = forms.TimeField(
                    label=f"{name}, {word}",
                    required=False,
                    widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"),
                    error_messages={"invalid": "This is no time of the day. Write it like 08:30."},
                )

    @staticmethod
    def initial_of(room: Room) -> dict[str, Any]:
        rows = RoomHours.objects.filter(room=room)
        found: dict[str, Any] = {"site": room.venue.site_id}
        for row in rows:
            found |= {f"opens{row.weekday}": row.opens, f"closes{row.weekday}": row.closes}
        return found

    def lines(self) -> list[tuple[str, Any, Any]]:
        """(weekday, from, to) as fields."""
        return [(name, self[f"opens{number}"], self[f"closes{number}"]) for number, name in DAYS]

    def clean(self) -> dict[str, Any]:
        said = super().clean() or {}
        for number, name in DAYS:
            opens, closes = said.get(f"opens{number}"), said.get(f"closes{number}")
            if (opens is None) != (closes is None) and not self.errors:
                self.add_error(f"closes{number}", f"Say from when to when on a {name}, or neither.")
            elif opens is not None and closes is not None and closes <= opens:
                self.add_error(f"closes{number}", f"On a {name} it closes before it opens. Put the later time here.")
        return said

    @property
    def hours(self) -> dict[int, tuple[time, time]]:
        said = self.cleaned_data
        return {
            int(number): (said[f"opens{number}"], said[f"closes{number}"])
            for number, _ in DAYS
            if said.get(f"opens{number}") is not None
        }


class TeachingForm(CommonForm, forms.Form):
    """On which weekdays, how many a day, in which languages, and what."""

    weekdays = forms.MultipleChoiceField(
        label="Teaches on", choices=DAYS, required=False, widget=forms.CheckboxSelectMultiple
    )
    most_a_day = forms.IntegerField(label="Sessions a day, at most", min_value=1, max_value=12, initial=2)
    languages = forms.CharField(
        label="In these languages",
        max_length=200,
        required=False,
        help_text="With commas between, as sessions say them. Empty: in any.",
    )
    modules = forms.ModelMultipleChoiceField(
        Module.objects.none(),
        label="May teach",
        to_field_name="public_id",
        required=False,
        widget=forms.CheckboxSelectMultiple,
        help_text="None chosen: anything.",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        modules: Any = self.fields["modules"]
        rows = Module.objects.filter(kind=kind.KIND.name).exclude(state=ModuleState.WITHDRAWN)
        modules.queryset = rows.order_by("title")

    @staticmethod
    def initial_of(row: Teaching | None) -> dict[str, Any]:
        if row is None:
            return {"weekdays": [str(day) for day in range(5)]}
        return {
            "weekdays": [str(day) for day in row.weekdays],
            "most_a_day": row.most_a_day,
            "languages": ", ".join(row.languages),
            "modules": list(row.modules.values_list("public_id", flat=True)),
        }

    @property
    def said(self) -> dict[str, Any]:
        """As the action takes it."""
        data = self.cleaned_data
        return {
            "weekdays": [int(day) for day in data["weekdays"]],
            "most_a_day": data["most_a_day"],
            "languages": [word for text in data["languages"].split(",") if (word := text.strip())],
            "modules": list(data["modules"]),
        }
