"""Editing what is in the library."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from stepladder.core.packages.runtime import DoneWhen
from stepladder.library.folders import LONGEST_NAME, Place
from stepladder.library.models import Binder, Module
from stepladder.web.forms import CommonForm

__all__ = ["BinderForm", "DoneWhenForm", "FolderForm", "ManyForm", "ModuleForm", "VersionNoteForm"]


class BinderForm(CommonForm, forms.ModelForm[Binder]):
    class Meta:
        model = Binder
        fields = ("name", "is_shared", "quota_mb")
        labels = {
            "name": "Name",
            "is_shared": "Every author may put these modules into courses",
            "quota_mb": "Room for its files, in MB; empty for no limit",
        }


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
        return _tags(self.cleaned_data["tags"])


def _tags(text: str) -> list[str]:
    names = [" ".join(part.split()).lower() for part in text.split(",")]
    long = [name for name in names if len(name) > 40]
    if long:
        raise forms.ValidationError(f"“{long[0][:40]}…” is too long for a tag. Use 40 letters at most.")
    return sorted({name for name in names if name})


ACTS = ("move", "copy", "tag", "untag", "mark", "unmark", "withdraw", "delete", "fetch")


class ManyForm(CommonForm, forms.Form):
    """What is done to the ticked modules of a list."""

    do = forms.ChoiceField(choices=[(act, act) for act in ACTS])
    chosen = forms.ModelMultipleChoiceField(
        Module.objects.none(),
        to_field_name="public_id",
        error_messages={"required": "Nothing was chosen. Tick the modules first."},
    )
    to = forms.ChoiceField(required=False)
    tag = forms.CharField(required=False, max_length=60)

    def __init__(self, data: Any, *, modules: Any, places: Sequence[Place]) -> None:
        super().__init__(data)
        chosen: Any = self.fields["chosen"]
        chosen.queryset = modules
        to: Any = self.fields["to"]
        to.choices = [("", ""), *((place.key, place.words) for place in places)]

    def clean_tag(self) -> str:
        names = _tags(self.cleaned_data["tag"])
        if len(names) > 1:
            raise forms.ValidationError("One tag at a time, please: write it without a comma.")
        return names[0] if names else ""

    def clean(self) -> dict[str, Any]:
        found = super().clean() or self.cleaned_data
        do = found.get("do")
        if do in ("move", "copy") and not found.get("to") and "to" not in self.errors:
            self.add_error("to", "Choose the binder or folder that they go to.")
        if do in ("tag", "untag") and not found.get("tag") and "tag" not in self.errors:
            self.add_error("tag", "Write the tag first.")
        return found


class VersionNoteForm(CommonForm, forms.Form):
    """What is new in a version."""

    note = forms.CharField(label="What is new in it", max_length=300, required=False)


class FolderForm(CommonForm, forms.Form):
    """The name of a folder."""

    name = forms.CharField(
        label="Name", max_length=LONGEST_NAME, error_messages={"required": "Give the folder a name first."}
    )


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
