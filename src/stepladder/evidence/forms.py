"""The form of an evidence pack; whom it is about is read by reaches.reach_forms."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import QueryDict

from stepladder import clock
from stepladder.courses.models import Course, CourseState
from stepladder.evidence.asking import PackAsked
from stepladder.reaches.reach_forms import stored_reach
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm
from stepladder.web.templatetags.web import day as written

__all__ = ["PackForm"]


class PackForm(CommonForm, forms.Form):
    """Which courses, on which day by whose knowledge, and what lies in it."""

    courses = forms.ModelMultipleChoiceField(
        Course.objects.none(),
        label="Courses",
        to_field_name="public_id",
        widget=forms.CheckboxSelectMultiple,
        error_messages={"required": "Choose at least one course."},
    )
    day = DayField(label="Covered on", initial=clock.today)
    known_on = DayField(
        label="As known on", initial=clock.today, help_text="What was recorded or revoked later is not seen."
    )
    name = forms.CharField(label="Called", max_length=160, required=False, help_text="Empty: the courses and the day.")
    with_certificates = forms.BooleanField(label="certificates as PDF", required=False, initial=True)
    with_documents = forms.BooleanField(label="papers of training from outside", required=False, initial=True)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        chosen: Any = self.fields["courses"]
        chosen.queryset = Course.objects.exclude(state=CourseState.DRAFT).order_by("title")

    def asked(self, data: QueryDict) -> PackAsked:
        """What a valid form asks for, with the reach that was sent beside it."""
        said = self.cleaned_data
        return PackAsked(
            stored_reach(data),
            list(said["courses"]),
            said["day"],
            said["known_on"],
            said["with_certificates"],
            said["with_documents"],
        )

    @property
    def called(self) -> str:
        """Its name, or one made of what it is about."""
        said = self.cleaned_data
        titles = [course.title for course in said["courses"]]
        of = titles[0] if len(titles) == 1 else f"{len(titles)} courses"
        return said["name"] or f"{of}, {written(said['day'])}"
