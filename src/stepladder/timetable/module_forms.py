"""A module that is taught in a room or live online: making it, and when it counts as attended."""

from __future__ import annotations

from django import forms

from stepladder.web.forms import CommonForm

__all__ = ["SessionModuleForm", "ThresholdForm"]


class ThresholdForm(CommonForm, forms.Form):
    """From which share of the time on somebody attended a session."""

    share = forms.IntegerField(
        label="Attended from (%)",
        min_value=1,
        max_value=100,
        initial=80,
        help_text="Whoever was there for this share of the time has attended; for less, partly.",
    )


class SessionModuleForm(ThresholdForm):
    """A module that is taught in a room or live online."""

    title = forms.CharField(label="Title", max_length=200)
    description = forms.CharField(label="Description", required=False, widget=forms.Textarea(attrs={"rows": 2}))
    minutes = forms.IntegerField(label="Minutes", min_value=5, max_value=6000, initial=120)
    field_order = ("title", "description", "minutes", "share")
