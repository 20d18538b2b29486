"""Forms of sources."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db.models import QuerySet

from stepladder.library.details import LANGUAGES, RIGHTS, DetailUnread, read_tags
from stepladder.library.errors import LibraryError
from stepladder.library.fetching import check_address
from stepladder.library.models import Binder
from stepladder.sources.errors import SourceTrouble
from stepladder.sources.models import Source
from stepladder.sources.walking import place_of
from stepladder.topics.naming import topic_names
from stepladder.web.forms import CommonForm

__all__ = ["SourceForm"]


class SourceForm(CommonForm, forms.Form):
    """What a source is, where it lies, and what holds for everything in it."""

    name = forms.CharField(label="Name", max_length=120)
    kind = forms.ChoiceField(label="It is", choices=Source.Kind.choices)
    place = forms.CharField(
        label="Place",
        max_length=2000,
        help_text="Below the folder that this installation may read; of a list also an address.",
    )
    binder = forms.ModelChoiceField(
        Binder.objects.none(),
        label="Binder",
        empty_label="choose a binder",
        help_text="Who may see and use what comes is said by the binder.",
    )
    sheet = forms.CharField(
        label="Sheet beside the files",
        max_length=200,
        required=False,
        help_text="A table (.csv, .xlsx) in the folder itself, with a column “File” and columns for the details.",
    )
    language = forms.ChoiceField(label="Language", required=False, choices=[("", "not said"), *LANGUAGES.items()])
    rights = forms.ChoiceField(label="Rights", choices=list(RIGHTS.items()))
    tags = forms.CharField(label="Tags", required=False, max_length=200)
    topics = forms.MultipleChoiceField(label="Topics", required=False, widget=forms.CheckboxSelectMultiple)

    def __init__(self, data: Any = None, *, binders: QuerySet[Binder], source: Source | None = None) -> None:
        self.source = source
        initial: dict[str, Any] = {"rights": "keep"}
        if source is not None:
            names = ("name", "kind", "place", "binder", "sheet", "language", "rights", "tags")
            initial = {name: getattr(source, name) for name in names}
            initial["topics"] = [topic.public_id for topic in source.topics.all()]
        super().__init__(data, initial=initial)
        binder, topics, kind = (self.fields[name] for name in ("binder", "topics", "kind"))
        binder.queryset = binders  # type: ignore[attr-defined]
        topics.choices = list(topic_names().words.items())  # type: ignore[attr-defined]
        # What came of it stays where and what it is.
        kind.disabled = binder.disabled = source is not None

    def clean_name(self) -> str:
        name = str(self.cleaned_data["name"])
        others = Source.objects.filter(name__iexact=name)
        if (others.exclude(pk=self.source.pk) if self.source else others).exists():
            raise forms.ValidationError(f"There is a source “{name}” already.")
        return name

    def clean_tags(self) -> str:
        try:
            return ", ".join(read_tags(self.cleaned_data["tags"]))
        except DetailUnread as refusal:
            raise forms.ValidationError(str(refusal)) from None

    def clean_sheet(self) -> str:
        name = str(self.cleaned_data["sheet"]).strip()
        if "/" in name or "\\" in name:
            raise forms.ValidationError("The sheet lies in the folder itself: give its name alone.")
        return name

    def clean(self) -> dict[str, Any]:
        found = super().clean() or self.cleaned_data
        place, is_list = str(found.get("place", "")), found.get("kind") == Source.Kind.LINKS
        try:
            if is_list and place.startswith(("http://", "https://")):
                found["place"] = check_address(place)
            elif place:
                path = place_of(place)
                if path.is_dir() == is_list:
                    raise SourceTrouble("That is a folder, no list." if is_list else "That is a file, no folder.")
        except (SourceTrouble, LibraryError) as refusal:
            self.add_error("place", str(refusal))
        return found
