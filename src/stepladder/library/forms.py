"""Editing what is in the library."""

from __future__ import annotations

from django import forms

from stepladder.core.packages.runtime import DoneWhen
from stepladder.library.models import Binder, Module
from stepladder.web.forms import CommonForm

__all__ = ["BinderForm", "DoneWhenForm", "ModuleForm"]


class BinderForm(CommonForm, forms.ModelForm[Binder]):
    class Meta:
        model = Binder
        fields = ("name", "is_shared")
        labels = {"name": "Name", "is_shared": "Every author may put these modules into courses"}


class ModuleForm(CommonForm, forms.ModelForm[Module]):
    minutes = forms.IntegerField(label="Minutes", min_value=0, max_value=6000)
    tags = forms.CharField(label="Tags", required=False, help_text="Words to find it by, with commas between.")

    class Meta:
        model = Module
        fields = ("title", "description", "minutes")
        labels = {"title": "Title", "description": "Description"}
        widgets = {"description": forms.Textarea(attrs={"rows": 2})}

    field_order = ("title", "description", "minutes", "tags")

    def clean_tags(self) -> list[str]:
        names = [" ".join(part.split()).lower() for part in self.cleaned_data["tags"].split(",")]
        long = [name for name in names if len(name) > 40]
        if long:
            raise forms.ValidationError(f"“{long[0][:40]}…” is too long for a tag. Use 40 letters at most.")
        return sorted({name for name in names if name})


class DoneWhenForm(CommonForm, forms.Form):
    """When a package is done."""

    done_when = forms.ChoiceField(
        label="Done",
        choices=[
            (DoneWhen.SAID.value, "when the package says so"),
            (DoneWhen.PASSED.value, "when it is passed"),
            (DoneWhen.THROUGH.value, "when it was gone through, passed or not"),
        ],
        help_text="Holds for what is reported from now on. What is done stays done.",
    )
