"""A day in a form, and the day that a page is about."""

from __future__ import annotations

from contextlib import suppress
from datetime import date
from typing import Any

from django import forms

from stepladder import clock
from stepladder.core.days import DayError, plausible, resolve_day
from stepladder.web.forms import CommonForm
from stepladder.web.templatetags.web import day as written

__all__ = ["DayField", "DayInput", "OnDayForm"]

# How lists write that there is no day.
NONE = frozenset({"–", "-", "no end"})


class DayInput(forms.DateInput):
    """A field that takes a day as it is written anywhere; days.js puts a small calendar beside it."""

    def __init__(self, attrs: dict[str, Any] | None = None) -> None:
        # With autocomplete off, browsers leave the field empty when one comes back to the page.
        super().__init__({"data-day": True, "size": 13, **(attrs or {})})

    def format_value(self, value: Any) -> str | None:
        if isinstance(value, str):
            # An address says a day as 2027-04-01; what was typed and not understood stays as it was typed.
            with suppress(ValueError):
                value = date.fromisoformat(value)
        return written(value) if isinstance(value, date) else super().format_value(value)


class DayField(forms.DateField):
    """A day: 27 Nov 2026, 2026-11-27, today+30d, end of next month; in figures by the organisation's order."""

    widget = DayInput

    def to_python(self, value: Any) -> date | None:
        if value in self.empty_values or isinstance(value, date):
            return super().to_python(value)
        text = str(value).strip()
        if text in NONE and not self.required:
            return None
        try:
            return resolve_day(text, today=clock.today(), calendar=clock.calendar())
        except DayError as refusal:
            raise forms.ValidationError(str(refusal), code="invalid") from None

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
