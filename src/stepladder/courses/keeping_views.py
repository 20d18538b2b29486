"""Which roles may build paths for their own people."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse

from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.courses import keeping
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Path
from stepladder.courses.queries import course_counts
from stepladder.library.models import Binder
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once

__all__ = ["path_builders"]


class BuildersForm(CommonForm, forms.Form):
    """Who may, and where what they build stands."""

    roles = forms.MultipleChoiceField(
        label="May build paths for their own people",
        choices=[(role.value, words) for role, words in keeping.BUILDERS.items()],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )
    binder = forms.ModelChoiceField(
        label="Their paths stand in the binder",
        queryset=Binder.objects.order_by("name"),
        to_field_name="public_id",
        required=False,
        empty_label="Choose a binder",
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if data.get("roles") and not data.get("binder") and "binder" not in self.errors:
            self.add_error("binder", "Say in which binder such paths stand.")
        return data


def path_builders(request: HttpRequest) -> HttpResponse:
    """Who may build paths for their own people; those that are built so, beside it."""
    settings = organisation()
    first = {"roles": settings.path_builders, "binder": settings.paths_binder}
    form = BuildersForm(request.POST or None, initial=first)
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            keeping.allow_builders(by=account_of(request), **form.cleaned_data)
            toasts.say(request, "It is saved, and holds at once.")
            return reverse("courses:path_builders")

        try:
            return act_once(request, act)
        except CourseError as refusal:
            form.add_error(None, str(refusal))
    kept = Path.objects.filter(kept_by__isnull=False).select_related("kept_by")
    context = {"form": form, "kept": kept.order_by("title")[:50], "count": kept.count(), "here_paths": True}
    context["counts"] = course_counts(request.user)
    return render(request, "courses/path_builders.html", context, status=422 if form.errors else 200)
