"""A day in a form, and the day that a page is about."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms

from stepladder import clock
from stepladder.core.days import DayError, plausible
from stepladder.web.forms import CommonForm

__all__ = ["DayField", "OnDayForm"]


class DayField(forms.DateField):
    """A day, with the browser's own calendar."""

    widget = forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")
    default_error_messages = {"invalid": "This is no day of the calendar. Write it like 2027-04-01."}

    def clean(self, value: Any) -> date | None:
        day = super().clean(value)
        try:
            return plausible(day) if day else None
        except DayError as refusal:
            raise forms.ValidationError(str(refusal)) from None


class OnDayForm(CommonForm, forms.Form):
    """The day that a page is about: `?on=2027-04-01`, today where none is asked for."""

    on = DayField(label="On", required=False)

    def day(self) -> date:
        """The day asked for; today where it is none."""
        asked = self.cleaned_data.get("on") if self.is_valid() else None
        return asked or clock.today()
