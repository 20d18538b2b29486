"""Forms of an import: the file, and what becomes of whom it does not name."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder.charts.models import Unit
from stepladder.charts.tree_choice import TreeChoice
from stepladder.people_import.actions import Missing
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["FileForm", "MissingForm"]

MOST_BYTES = 30 * 1024**2


class FileForm(CommonForm, forms.Form):
    file = forms.FileField(
        label="A file of people",
        help_text="CSV or XLSX. The first row names the columns; each further row is a person, known by the employee number.",
        widget=forms.ClearableFileInput(attrs={"accept": ".csv,.txt,.xlsx"}),
    )

    def clean_file(self) -> Any:
        file = self.cleaned_data["file"]
        if (file.size or 0) > MOST_BYTES:
            raise forms.ValidationError("The file is larger than 30 MB. Split it.")
        return file


class MissingForm(CommonForm, forms.Form):
    """What is to become of those whom a file does not name."""

    missing = forms.ChoiceField(
        label="Whoever is not in the file",
        choices=[("stay", "stays as they are"), ("leave", "has left")],
        required=False,
    )
    last_day = DayField(label="Their last day", required=False, help_text="Only for those who have left.")
    unit = TreeChoice(
        Unit,
        label="Of",
        required=False,
        empty_label="the whole organisation",
        help_text="If the file is of one unit and those below it, only who is placed there.",
    )

    def clean(self) -> dict[str, Any]:
        data: dict[str, Any] = self.cleaned_data
        if data.get("missing") == "leave" and not data.get("last_day") and "last_day" not in self.errors:
            self.add_error("last_day", "Say their last day.")
        return data

    def chosen(self) -> Missing | None:
        """What was chosen; None: they stay."""
        data = self.cleaned_data
        return Missing(data["last_day"], data["unit"]) if data["missing"] == "leave" else None
