"""Editing courses."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from django import forms

from stepladder import clock
from stepladder.core.numbers import whole_number
from stepladder.core.sequence import Part
from stepladder.courses.checks import LONGEST_SUMMARY
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Edition, Path
from stepladder.courses.paths import PATTERNS
from stepladder.courses.patterns import COURSE_PATTERNS
from stepladder.library.models import Binder
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = [
    "CopyPathForm",
    "CourseFromPatternForm",
    "EditionForm",
    "NewCourseForm",
    "NewPathForm",
    "PathForm",
    "RelationsForm",
    "ReleaseForm",
    "StageForm",
    "StartsForm",
    "StepForm",
    "TermsForm",
    "read_order",
    "read_part",
]


class NewCourseForm(CommonForm, forms.Form):
    title = forms.CharField(label="Title", max_length=160)
    binder = forms.ModelChoiceField(
        Binder.objects.none(), label="Binder", empty_label=None, help_text="Its editors can change it."
    )

    def __init__(self, *args: Any, binders: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        field = self.fields["binder"]
        assert isinstance(field, forms.ModelChoiceField)
        field.queryset = binders


class CourseFromPatternForm(NewCourseForm):
    """A new course, from a pattern."""

    pattern = forms.ChoiceField(
        label="Start from",
        choices=[(name, one.label) for name, one in COURSE_PATTERNS.items()],
        required=False,
        help_text="All of it can be said otherwise on its sheet.",
    )


class NewPathForm(NewCourseForm):
    """A new path, from a pattern."""

    pattern = forms.ChoiceField(
        label="Start from",
        choices=[(name, one.label) for name, one in PATTERNS.items()],
        required=False,
    )


class CopyPathForm(NewCourseForm):
    """A path like another."""

    with_assignments = forms.BooleanField(
        label="once it is released, ask it of whomever the other is asked of", required=False
    )


# What stands on the course's page alone.
LONGEST_DESCRIPTION = 6_000


def one_sentence(text: str) -> str:
    """What was written as one line, however its lines were broken."""
    return " ".join(text.split())


class EditionForm(CommonForm, forms.ModelForm[Edition]):
    class Meta:
        model = Edition
        fields = (
            "title",
            "summary",
            "description",
            "outcome",
            "preparation_order",
            "main_order",
            "optional_owed",
            "lowest_score",
        )
        labels = {
            "title": "Title",
            "summary": "Summary",
            "description": "Description",
            "outcome": "After it one can",
            "preparation_order": "Preparation",
            "main_order": "Main part",
            "optional_owed": "Optional steps asked for",
            "lowest_score": "Lowest score, %",
        }
        help_texts = {"lowest_score": "The weighted mean of the scored steps; empty: none is asked for."}
        widgets = {"summary": forms.Textarea(attrs={"rows": 2}), "outcome": forms.Textarea(attrs={"rows": 1})}

    def clean_outcome(self) -> str:
        return one_sentence(self.cleaned_data["outcome"])

    def clean_summary(self) -> str:
        return _within(
            one_sentence(self.cleaned_data["summary"]), LONGEST_SUMMARY, "The description has room for more."
        )

    def clean_description(self) -> str:
        return _within(self.cleaned_data["description"].strip(), LONGEST_DESCRIPTION, "A reference takes a whole file.")


def _within(text: str, most: int, instead: str) -> str:
    if len(text) > most:
        raise forms.ValidationError(f"This has {len(text)} letters; {most} is the most. {instead}")
    return text


class PathForm(CommonForm, forms.ModelForm[Path]):
    class Meta:
        model = Path
        fields = ("title", "summary", "is_in_order")
        labels = {
            "title": "Title",
            "summary": "What it leads to",
            "is_in_order": "A stage opens when the one above it is done",
        }
        widgets = {"summary": forms.Textarea(attrs={"rows": 2})}


class StageForm(CommonForm, forms.Form):
    """A stage of a path."""

    title = forms.CharField(label="Stage", max_length=120, required=False)
    outcome = forms.CharField(
        label="After it one can", max_length=300, required=False, widget=forms.Textarea(attrs={"rows": 1})
    )
    window_days = forms.IntegerField(label="Days after the start", min_value=0, max_value=3650, required=False)
    # Asked only where there are electives.
    choose = forms.IntegerField(label="How many one chooses", min_value=1, max_value=99, required=False)

    def clean_outcome(self) -> str:
        return one_sentence(self.cleaned_data["outcome"])


class StartsForm(CommonForm, forms.Form):
    """For whom a path is drawn: who starts on `?starts=2027-04-01`, today where none is asked for."""

    starts = DayField(label="Shown for somebody who starts on", required=False)

    def day(self) -> date:
        """The day asked for; today where it is none."""
        asked = self.cleaned_data.get("starts") if self.is_valid() else None
        return asked or clock.today()


class TermsForm(CommonForm, forms.Form):
    """How long a completion counts: years, months or days, a calendar year, or for ever."""

    LASTS = [("", "for ever"), ("months", "months"), ("days", "days"), ("year", "to the end of the calendar year")]
    lasts = forms.ChoiceField(label="Valid", choices=LASTS, required=False)
    count = forms.IntegerField(label="How many", min_value=1, max_value=600, required=False)
    window_days = forms.IntegerField(label="Renewal window, days", min_value=0, max_value=730, initial=0)
    grace_days = forms.IntegerField(label="Grace, days", min_value=0, max_value=730, initial=0)
    from_day = DayField(label="For completions from", initial=lambda: clock.today())

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        lasts, count = data.get("lasts"), data.get("count")
        if lasts in ("months", "days") and not count:
            self.add_error("count", f"Say how many {lasts}.")
        length = {"months": (count or 0) * 30, "days": count or 0, "year": 365}.get(lasts or "")
        if length and (data.get("window_days") or 0) >= length:
            self.add_error("window_days", "The renewal window must be shorter than the validity.")
        return data


class RelationsForm(CommonForm, forms.Form):
    prerequisites = forms.ModelMultipleChoiceField(
        Course.objects.none(),
        label="Must be completed first",
        required=False,
        to_field_name="public_id",
        widget=forms.CheckboxSelectMultiple,
    )
    satisfied_by = forms.ModelMultipleChoiceField(
        Course.objects.none(),
        label="Also counts as this course",
        required=False,
        to_field_name="public_id",
        widget=forms.CheckboxSelectMultiple,
        help_text="A completion of a ticked course is one of this course too, under this course’s validity.",
    )

    def __init__(self, *args: Any, course: Course, others: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("prerequisites", "satisfied_by"):
            field = self.fields[name]
            assert isinstance(field, forms.ModelMultipleChoiceField)
            field.queryset = others.exclude(pk=course.pk)
            field.initial = list(getattr(course, name).values_list("public_id", flat=True))


class StepForm(CommonForm, forms.Form):
    """A step as its row sends it: what is not sent stays or is off."""

    optional = forms.CharField(required=False)
    newest = forms.CharField(required=False)
    weight = forms.IntegerField(
        min_value=0,
        max_value=100,
        required=False,
        error_messages={"invalid": "The weight is a whole number from 0 to 100."},
    )

    def meant(self) -> dict[str, Any]:
        """What the action takes. Raises CourseError."""
        if not self.is_valid():
            raise CourseError("Not saved. " + " ".join(str(e) for errors in self.errors.values() for e in errors))
        weight = self.cleaned_data["weight"]
        return {
            "is_obligatory": not self.cleaned_data["optional"],
            "weight": self.initial["weight"] if weight is None else weight,
            "take_newest": "newest" in self.data,
            "is_spared": self.data["spared"] == "1" if "spared" in self.data else self.initial["is_spared"],
        }


def read_part(text: str) -> Part:
    """A part of a course as the page names it. Raises CourseError."""
    try:
        return Part(text)
    except ValueError:
        raise CourseError("That is no part of a course: choose entry test, preparation or main part.") from None


def read_order(said: Iterable[str]) -> list[tuple[int, Part]]:
    """The order of steps as the page sends it: `<id>:<part>` from top to bottom. Raises CourseError."""
    placed = []
    for key, _, part in (text.partition(":") for text in said):
        step = whole_number(key)
        if step is None:
            raise CourseError("That order cannot be read. Reload the page and order the steps again.")
        placed.append((step, read_part(part)))
    return placed


class ReleaseForm(CommonForm, forms.Form):
    """Small: attempts under way go on in the new edition. Large: they finish on the old one."""

    size = forms.ChoiceField(
        label="This release is", choices=[("small", "small"), ("large", "large")], widget=forms.RadioSelect
    )
    retake_by = DayField(
        label="Whoever has completed it must take it again by",
        required=False,
        help_text="Only with a large release. Left empty, nobody has to.",
    )
    on = DayField(
        label="Release it on",
        required=False,
        help_text="A day to come; left empty, at once. It goes out as it is then.",
    )
    note = forms.CharField(
        label="A word to those who are under way",
        required=False,
        max_length=1000,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="What is new for them. Left empty, nobody is told.",
    )
