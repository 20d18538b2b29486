"""Forms of links."""

from __future__ import annotations

from django import forms

from stepladder.library.details import LONGEST_DESCRIPTION, LONGEST_TITLE, MOST_MINUTES
from stepladder.library.errors import LibraryError
from stepladder.library.fetching import LONGEST, check_address
from stepladder.web.forms import CommonForm

__all__ = ["DONE_WHEN", "LinkForm", "NewLinkForm"]

# When a step of a link is done: the key that its data has, and how it reads.
DONE_WHEN = {
    "opened": "when it was opened",
    "said": "when somebody says that they have done it",
    "confirmed": "when a lead confirms it",
}


class LinkForm(CommonForm, forms.Form):
    """Where a link leads, and when a step of it is done."""

    url = forms.CharField(
        label="Address",
        max_length=LONGEST,
        widget=forms.TextInput(attrs={"placeholder": "https://", "inputmode": "url"}),
    )
    done_when = forms.ChoiceField(label="Done", choices=list(DONE_WHEN.items()))

    def clean_url(self) -> str:
        try:
            return check_address(self.cleaned_data["url"])
        except LibraryError as refusal:
            raise forms.ValidationError(str(refusal)) from None


class NewLinkForm(LinkForm):
    """A link that is still to be made."""

    title = forms.CharField(
        label="Title",
        required=False,
        max_length=LONGEST_TITLE,
        help_text="Empty: as its page is called, or its server.",
    )
    description = forms.CharField(
        label="Description", required=False, max_length=LONGEST_DESCRIPTION, widget=forms.Textarea(attrs={"rows": 2})
    )
    minutes = forms.IntegerField(
        label="Minutes",
        required=False,
        min_value=0,
        max_value=MOST_MINUTES,
        help_text="Empty: as long as reading its page takes, or 5.",
    )

    def clean_minutes(self) -> int:
        return self.cleaned_data["minutes"] or 0

    field_order = ("url", "title", "description", "minutes", "done_when")
