"""Fields for days, nodes of charts and people."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms

from stepladder import clock
from stepladder.core.days import DayError, plausible
from stepladder.people.models import Chart, Person, Placement, Position, Unit
from stepladder.people.queries import positions_tree, units_tree
from stepladder.web.forms import CommonForm

__all__ = ["DayField", "OnDayForm", "PersonChoice", "PlacementChoice", "TreeChoice"]


class DayField(forms.DateField):
    """A day, with the browser's own calendar."""

    widget = forms.DateInput(attrs={"type": "date"}, format="%Y-%m-%d")
    default_error_messages = {"invalid": "This is no day of the calendar. Write it like 2027-04-01."}

    def clean(self, value: Any) -> date | None:
        day = super().clean(value)
        try:
            return plausible(day) if day else None
        except DayError as refusal:
            raise forms.ValidationError(str(refusal)) from None


class TreeChoice(forms.ModelChoiceField[Any]):
    """A node of a chart, listed in the order of the chart, each under the one above it."""

    def __init__(self, kind: type[Unit] | type[Position], **kwargs: Any) -> None:
        self._kind = kind
        super().__init__(kind.objects.all(), **kwargs)

    def __deepcopy__(self, memo: Any) -> TreeChoice:
        copy: TreeChoice = super().__deepcopy__(memo)
        return copy.listed()

    def listed(self, chart: Chart | None = None) -> TreeChoice:
        """The field with today's nodes to choose from, of one chart or of all."""
        if chart:
            self.queryset = self._kind.objects.filter(chart=chart)
        shown = set(self.queryset.values_list("pk", flat=True)) if self.queryset is not None else set()
        tree = units_tree() if self._kind is Unit else positions_tree()
        empty = ("", str(self.empty_label or "–"))
        self.choices = [empty, *((str(n), "\u2003" * d + tree.name[n]) for n, d in tree.walk() if n in shown)]
        return self


class PlacementChoice(forms.ModelMultipleChoiceField[Placement]):
    """Placements by what and where they are."""

    def label_from_instance(self, obj: Placement) -> str:
        return f"{obj.position or 'no position'}, {obj.unit}"


class PersonChoice(forms.ModelMultipleChoiceField[Person]):
    """People, named one by one in a box that finds them by what one types."""

    def __init__(self, **kwargs: Any) -> None:
        super().__init__(Person.objects.all(), to_field_name="public_id", required=False, **kwargs)

    def chosen(self, data: Any, name: str) -> list[Person]:
        """Those that a form named, to be shown again."""
        return list(Person.objects.filter(public_id__in=data.getlist(name))) if hasattr(data, "getlist") else []


class OnDayForm(CommonForm, forms.Form):
    """The day that a page is about: `?on=2027-04-01`, today where none is asked for."""

    on = DayField(label="On", required=False)

    def day(self) -> date:
        """The day asked for; today where it is none."""
        asked = self.cleaned_data.get("on") if self.is_valid() else None
        return asked or clock.today()
