"""Fields of one line take no line break: in a subject, a name or a file of people it would begin something else."""

from __future__ import annotations

from django import forms
from django.core.exceptions import ValidationError

__all__ = ["OneLine"]

# Everything that some reader of text takes for the end of a line.
BREAKS = frozenset("\n\r\v\f\x1c\x1d\x1e\x85\u2028\u2029")


def _one_line(text: str) -> None:
    if BREAKS & set(str(text)):
        raise ValidationError("This is one line. Take the line break out.", code="line_break")


class OneLine(forms.BaseForm):
    """For every form: its text fields that are shown as one line are held to it."""

    def full_clean(self) -> None:
        for field in self.fields.values():
            if isinstance(field, forms.CharField) and not isinstance(field.widget, forms.Textarea):
                field.validators = [*(v for v in field.validators if v is not _one_line), _one_line]
        super().full_clean()
