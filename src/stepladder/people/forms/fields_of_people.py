"""Custom fields, and what they say of one person."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms

from stepladder.core.fields import ValueUnread, read_value
from stepladder.people.models import FieldValue, Person, PersonField
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["FieldForm", "ValuesForm"]


class FieldForm(CommonForm, forms.Form):
    """A custom field. Its kind is settled when it is made."""

    name = forms.CharField(label="Name", max_length=60)
    kind = forms.ChoiceField(label="Kind", choices=PersonField.Kind.choices)
    choices = forms.CharField(
        label="What may be chosen",
        required=False,
        widget=forms.Textarea(attrs={"rows": 4}),
        help_text="One a line, for fields that are one of a list.",
    )
    is_ended = forms.BooleanField(label="No longer asked for", required=False)

    def __init__(self, *args: Any, field: PersonField | None = None, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._settled = field.kind if field else ""
        if field:
            del self.fields["kind"]
        else:
            del self.fields["is_ended"]

    def clean_choices(self) -> list[str]:
        lines = [line.strip() for line in self.cleaned_data["choices"].splitlines()]
        return list(dict.fromkeys(line for line in lines if line))

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if (self._settled or data.get("kind")) == PersonField.Kind.CHOICE and not data.get("choices"):
            self.add_error("choices", "Write down at least one choice.")
        return data


class ValuesForm(CommonForm, forms.Form):
    """What the organisation’s fields say of a person."""

    def __init__(self, *args: Any, person: Person, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        known = dict(FieldValue.objects.known_now().filter(person=person).values_list("field_id", "value"))
        self.asked = {f"f{field.pk}": field for field in PersonField.objects.filter(is_ended=False)}
        for name, field in self.asked.items():
            value = known.get(field.pk, "")
            if field.kind == PersonField.Kind.DAY:
                initial = date.fromisoformat(value) if value else None
                self.fields[name] = DayField(label=field.name, required=False, initial=initial)
                continue
            widget: forms.Widget = forms.TextInput()
            if field.kind == PersonField.Kind.CHOICE:
                widget = forms.Select(choices=[("", "–"), *((c, c) for c in field.choices)])
            self.fields[name] = forms.CharField(label=field.name, required=False, widget=widget, initial=value)

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        for name, field in self.asked.items():
            if field.kind == PersonField.Kind.DAY:
                day = data.get(name)
                data[name] = day.isoformat() if day else ""
                continue
            try:
                kind: Any = field.kind
                data[name] = read_value(kind, data.get(name, ""), choices=field.choices)
            except ValueUnread as refusal:
                self.add_error(name, str(refusal))
        return data

    def values(self) -> dict[int, str]:
        """The key of each field → what it says."""
        return {field.pk: self.cleaned_data[name] for name, field in self.asked.items()}
