"""What is asked where lessons are made and read."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms

from stepladder.core.lessons.options import HEAD_COLOURS, PAPERS, SIZES, Options
from stepladder.web.forms import CommonForm
from stepladder.writing.bringing import TAKEN

__all__ = ["NewLessonForm", "OptionsForm", "ReleaseForm"]

_PAPER_WORDS = {"sheet": "the sheet’s own", "paper": "warmer, as the index", "wash": "tinted"}
_HEAD_WORDS = {"ink": "ink", "accent": "the house’s accent", "watch": "ochre", "bad": "dark red", "quiet": "grey"}
_SIZE_WORDS = {"ordinary": "ordinary", "large": "large"}


class NewLessonForm(CommonForm, forms.Form):
    """A lesson to be written."""

    title = forms.CharField(label="Title", max_length=200, required=False)
    description = forms.CharField(label="Description", required=False, widget=forms.Textarea(attrs={"rows": 2}))
    file = forms.FileField(
        label="Begin with a file",
        required=False,
        help_text="A text (.docx), slides (.pptx), Markdown (.md) or a web page (.html): its words and pictures become sections.",
        widget=forms.ClearableFileInput(attrs={"accept": ",".join(TAKEN)}),
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if not data.get("title") and not data.get("file"):
            self.add_error("title", "Give it a title, or begin with a file that has one.")
        return data


class OptionsForm(CommonForm, forms.Form):
    """How a lesson is read, and how it looks."""

    in_order = forms.TypedChoiceField(
        label="A section opens",
        choices=[("yes", "when the one before is done"), ("no", "in any order")],
        coerce=lambda said: said == "yes",
    )
    has_next = forms.TypedChoiceField(
        label="Shown",
        choices=[
            ("yes", "one section at a time, with a button to the next"),
            ("no", "all that are open, below each other"),
        ],
        coerce=lambda said: said == "yes",
    )
    asks_right = forms.TypedChoiceField(
        label="A check counts when it is",
        choices=[("no", "tried"), ("yes", "right")],
        coerce=lambda said: said == "yes",
    )
    is_numbered = forms.BooleanField(label="Sections have numbers", required=False)
    is_selectable = forms.BooleanField(label="Text may be selected and copied", required=False)
    paper = forms.ChoiceField(label="Paper", choices=[(name, _PAPER_WORDS[name]) for name in PAPERS])
    head_colour = forms.ChoiceField(label="Heads in", choices=[(name, _HEAD_WORDS[name]) for name in HEAD_COLOURS])
    head_size = forms.ChoiceField(label="Heads are", choices=[(name, _SIZE_WORDS[name]) for name in SIZES])
    text_size = forms.ChoiceField(label="Text is", choices=[(name, _SIZE_WORDS[name]) for name in SIZES])
    cover = forms.FileField(label="A cover", required=False, widget=forms.FileInput(attrs={"accept": "image/*"}))
    cover_shows = forms.CharField(label="What the cover shows, for who can’t see it", max_length=1000, required=False)
    cover_words = forms.CharField(label="Below the cover", max_length=300, required=False)
    no_cover = forms.BooleanField(label="No cover", required=False)

    def options(self, before: Options, kept: Mapping[str, Any] | None) -> dict[str, Any]:
        """The options that were chosen; *kept* is the picture that was sent for the cover, as it is kept."""
        said = {name: value for name, value in self.cleaned_data.items() if "cover" not in name}
        picture = kept or (before.cover if before.cover and not self.cleaned_data["no_cover"] else None)
        if picture is None:
            return {**said, "cover": None}
        words = {name: self.cleaned_data[f"cover_{name}"] for name in ("shows", "words")}
        return {**said, "cover": {name: picture[name] for name in ("file", "width", "height")} | words}


class ReleaseForm(CommonForm, forms.Form):
    """What is new in the version, for whoever uses the lesson."""

    note = forms.CharField(label="What is new in it", max_length=300, required=False)
