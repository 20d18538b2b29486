"""Editing what is in the library."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from stepladder.core.packages.runtime import DoneWhen
from stepladder.library.details import (
    DETAILS,
    LANGUAGES,
    LONGEST_DESCRIPTION,
    LONGEST_TITLE,
    MOST_MINUTES,
    RIGHTS,
    DetailUnread,
    details_of,
    read_tags,
)
from stepladder.library.errors import TitleTaken
from stepladder.library.folders import LONGEST_NAME, Place
from stepladder.library.models import Binder, Module, Rights
from stepladder.library.titles import check_titles
from stepladder.topics.naming import topic_names
from stepladder.web.forms import CommonForm

__all__ = ["BinderForm", "DoneWhenForm", "FolderForm", "ManyForm", "ModuleForm", "NewBinderForm", "VersionNoteForm"]


class BinderForm(CommonForm, forms.ModelForm[Binder]):
    class Meta:
        model = Binder
        fields = ("name", "quota_mb")
        labels = {
            "name": "Name",
            "quota_mb": "Room for its files, in MB; empty for no limit",
        }


class NewBinderForm(CommonForm, forms.ModelForm[Binder]):
    class Meta:
        model = Binder
        fields = ("name", "is_shared")
        labels = {"name": "Name", "is_shared": "Every author may put these modules into courses"}


class ModuleForm(CommonForm, forms.Form):
    """The details of a module; which of two modules has which title is seen to as well."""

    title = forms.CharField(label="Title", max_length=LONGEST_TITLE)
    description = forms.CharField(
        label="Description", required=False, max_length=LONGEST_DESCRIPTION, widget=forms.Textarea(attrs={"rows": 2})
    )
    minutes = forms.IntegerField(label="Minutes", min_value=0, max_value=MOST_MINUTES)
    tags = forms.CharField(label="Tags", required=False, help_text="Words to find it by, with commas between.")
    language = forms.ChoiceField(label="Language", required=False, choices=[("", "not said"), *LANGUAGES.items()])
    rights = forms.ChoiceField(label="Rights", required=False, choices=list(RIGHTS.items()))
    topics = forms.MultipleChoiceField(label="Topics", required=False, widget=forms.CheckboxSelectMultiple)

    def __init__(self, data: Any = None, *, module: Module) -> None:
        self.module, names = module, topic_names()
        now = details_of(module)
        super().__init__(data, initial=now | {"tags": ", ".join(now["tags"])})
        topics: Any = self.fields["topics"]
        topics.choices = list(names.words.items())

    def clean_title(self) -> str:
        title = " ".join(self.cleaned_data["title"].split())
        try:
            check_titles([(self.module, title)])
        except TitleTaken as refusal:
            raise forms.ValidationError(str(refusal)) from None
        return title

    def clean_tags(self) -> list[str]:
        try:
            return read_tags(self.cleaned_data["tags"])
        except DetailUnread as refusal:
            raise forms.ValidationError(str(refusal)) from None

    def clean_rights(self) -> str:
        return self.cleaned_data["rights"] or Rights.KEEP.value

    def clean(self) -> dict[str, Any]:
        found = super().clean() or self.cleaned_data
        # What the form did not have in it is not asked to be emptied.
        for name in ("language", "rights", "topics"):
            if f"has_{name}" not in self.data and name not in self.data:
                found.pop(name, None)
        return found


ACTS = ("set", "move", "copy", "tag", "untag", "mark", "unmark", "withdraw", "delete", "fetch")


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
    detail = forms.ChoiceField(required=False, choices=[(name, "") for name in DETAILS])
    # What the detail becomes, as a cell of a table would say it.
    value = forms.CharField(required=False, max_length=LONGEST_DESCRIPTION)

    def __init__(self, data: Any, *, modules: Any, places: Sequence[Place]) -> None:
        super().__init__(data)
        chosen: Any = self.fields["chosen"]
        chosen.queryset = modules
        to: Any = self.fields["to"]
        to.choices = [("", ""), *((place.key, place.words) for place in places)]

    def clean_tag(self) -> str:
        try:
            names = read_tags(self.cleaned_data["tag"])
        except DetailUnread as refusal:
            raise forms.ValidationError(str(refusal)) from None
        if len(names) > 1:
            raise forms.ValidationError("One tag at a time, please: write it without a comma.")
        return names[0] if names else ""

    def clean(self) -> dict[str, Any]:
        found = super().clean() or self.cleaned_data
        do = found.get("do")
        if do == "set" and not found.get("detail") and "detail" not in self.errors:
            self.add_error("detail", "Choose what of them is set.")
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
