"""Groups."""

from __future__ import annotations

from django import forms

from stepladder.web.forms import CommonForm

__all__ = ["GroupForm"]


class GroupForm(CommonForm, forms.Form):
    """A group's name; whom it means is read by reach_forms."""

    name = forms.CharField(label="Name", max_length=120)
    note = forms.CharField(label="What it is for", required=False, widget=forms.Textarea(attrs={"rows": 2}))
    revision = forms.IntegerField(required=False, widget=forms.HiddenInput)
