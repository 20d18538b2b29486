from __future__ import annotations

from django import forms

from stepladder.keeping.actions import FEWEST_YEARS, MOST_YEARS
from stepladder.web.forms import CommonForm

__all__ = ["ShortenForm", "YearsForm"]


class YearsForm(CommonForm, forms.Form):
    years = forms.IntegerField(
        label="Years after the last day",
        min_value=FEWEST_YEARS,
        max_value=MOST_YEARS,
        required=False,
        help_text="Empty: everything is kept for ever.",
    )


class ShortenForm(CommonForm, forms.Form):
    is_sure = forms.BooleanField(
        label="I have read what goes. It cannot be brought back.",
        error_messages={"required": "Tick that you have read what goes: it cannot be brought back."},
    )
