"""The form of training from outside, and of what is decided about it."""

from __future__ import annotations

from typing import Any

from django import forms
from django.core.validators import MaxValueValidator, MinValueValidator

from stepladder.courses.models import Course, Edition
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["DecideForm", "HistoryForm", "OutsideForm"]


class OutsideForm(CommonForm, forms.Form):
    """What somebody learned elsewhere, or before."""

    course = forms.ModelChoiceField(
        Course.objects.none(),
        to_field_name="public_id",
        required=False,
        label="Counts as",
        empty_label="none of our courses",
        help_text="It is a completion of this course then, with all that follows.",
    )
    title = forms.CharField(
        label="What it was", max_length=160, required=False, help_text="Where it counts as no course."
    )
    day = DayField(label="Done on")
    own_expiry = DayField(
        label="Valid until", required=False, help_text="As the paper says. Empty: as long as the course counts."
    )
    provider = forms.CharField(label="Given by", max_length=160, required=False)
    hours = forms.DecimalField(
        label="Hours",
        required=False,
        max_digits=6,
        decimal_places=2,
        validators=[MinValueValidator(0), MaxValueValidator(2000)],
    )
    document = forms.FileField(label="The paper", required=False, help_text="A PDF or a picture of it, up to 20 MB.")
    note = forms.CharField(label="Note", required=False, max_length=2000, widget=forms.Textarea(attrs={"rows": 2}))

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        released = Edition.objects.filter(state=Edition.State.RELEASED).values("course")
        self.fields["course"].queryset = Course.objects.filter(pk__in=released).order_by("title")  # type: ignore[attr-defined]


class DecideForm(CommonForm, forms.Form):
    """What is said with a decision."""

    words = forms.CharField(
        label="Words to the person", required=False, max_length=500, widget=forms.Textarea(attrs={"rows": 2})
    )


class HistoryForm(CommonForm, forms.Form):
    """A file of what people completed before or elsewhere."""

    file = forms.FileField(label="File", help_text="CSV or XLSX, up to 30 MB and 200,000 rows.")
