"""Hire, move, end."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms

from stepladder import clock
from stepladder.core.days import DayError, plausible
from stepladder.people.models import Chart, Person, Placement, Position, Unit
from stepladder.people.queries import positions_tree, units_tree

__all__ = [
    "DayField",
    "EditForm",
    "EndForm",
    "HireForm",
    "LeaveForm",
    "MoveForm",
    "NodeForm",
    "RenameForm",
    "TreeChoice",
]


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


class HireForm(forms.Form):
    given_name = forms.CharField(label="Given name", max_length=80)
    family_name = forms.CharField(label="Family name", max_length=80)
    employee_number = forms.CharField(label="Employee number", max_length=30)
    email = forms.EmailField(
        label="E-mail", required=False, help_text="Notices go there; without one they wait in the application."
    )
    kind = forms.ChoiceField(label="Kind", choices=Person.Kind.choices)
    unit = TreeChoice(Unit, label="Unit", empty_label="Choose a unit")
    position = TreeChoice(Position, label="Position", required=False, empty_label="None")
    hired_on = DayField(label="First day")


class EditForm(forms.ModelForm[Person]):
    class Meta:
        model = Person
        fields = ("given_name", "family_name", "email")
        labels = {"given_name": "Given name", "family_name": "Family name", "email": "E-mail"}


class MoveForm(forms.Form):
    unit = TreeChoice(Unit, label="New unit", empty_label="Choose a unit")
    position = TreeChoice(Position, label="New position", required=False, empty_label="None")
    from_day = DayField(label="From", initial=lambda: clock.today())
    ending = PlacementChoice(
        Placement.objects.none(),
        label="What ends the day before",
        required=False,
        to_field_name="public_id",
        widget=forms.CheckboxSelectMultiple,
    )

    def __init__(self, *args: Any, present: list[Placement], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        field = self.fields["ending"]
        assert isinstance(field, forms.ModelMultipleChoiceField)
        field.queryset = Placement.objects.filter(pk__in=[p.pk for p in present]).select_related("unit", "position")
        field.initial = present


class NodeForm(forms.Form):
    """A new unit or position of a chart."""

    name = forms.CharField(label="Name", max_length=120)

    def __init__(self, *args: Any, chart: Chart, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        kind = Unit if chart.kind == Chart.Kind.UNIT else Position
        below = TreeChoice(kind, label="Below", required=False, empty_label="Nothing: at the top")
        self.fields["under"] = below.listed(chart)


class RenameForm(forms.Form):
    name = forms.CharField(label="Name", max_length=120)


class EndForm(forms.Form):
    to_day = DayField(label="Last day", initial=lambda: clock.today())


class LeaveForm(forms.Form):
    left_on = DayField(label="Last day with us", initial=lambda: clock.today())
