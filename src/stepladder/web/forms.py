"""What holds for every form: fields of one line take no line break, and a choice that has gone says so in words."""

from __future__ import annotations

from django import forms
from django.core.exceptions import ValidationError

__all__ = ["CommonForm"]

# Everything that some reader of text takes for the end of a line.
BREAKS = frozenset("\n\r\v\f\x1c\x1d\x1e\x85\u2028\u2029")
GONE = "What was chosen here can no longer be chosen. Choose again."
_STOCK = {
    str(message)
    for kind in (forms.ChoiceField, forms.MultipleChoiceField, forms.ModelChoiceField, forms.ModelMultipleChoiceField)
    for name, message in kind.default_error_messages.items()
    if name.startswith("invalid")
}


def _one_line(text: str) -> None:
    # In a subject, a name or a file of people a line break would begin something else.
    if BREAKS & set(str(text)):
        raise ValidationError("This is one line. Take the line break out.", code="line_break")


class CommonForm(forms.BaseForm):
    """For every form of this application, before Django's own class."""

    def full_clean(self) -> None:
        for field in self.fields.values():
            if isinstance(field, forms.CharField) and not isinstance(field.widget, forms.Textarea):
                field.validators = [*(v for v in field.validators if v is not _one_line), _one_line]
            # Django's own sentences show the key of what is gone, which means nothing to who chose it.
            if isinstance(field, forms.ChoiceField):
                field.error_messages |= {
                    n: GONE for n, message in field.error_messages.items() if str(message) in _STOCK
                }
        super().full_clean()
