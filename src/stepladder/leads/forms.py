"""Leads."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder import clock
from stepladder.charts.models import Position, Unit
from stepladder.charts.tree_choice import TreeChoice
from stepladder.core.leads import Power
from stepladder.leads.models import Lead
from stepladder.leads.powers import offered
from stepladder.people.forms.fields import PersonChoice
from stepladder.people.models import Person
from stepladder.reaches.models import Group
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["LeadForm", "LeadManyForm"]


class PowersField(forms.MultipleChoiceField):
    """What the holder of a lead may do for those whom it means."""

    widget = forms.CheckboxSelectMultiple

    def __init__(self) -> None:
        super().__init__(
            label="With the power to",
            choices=lambda: [(str(power), str(power)) for power in offered()],
            initial=[str(Power.SEE_RECORDS)],
            required=False,
        )


class LeadForm(CommonForm, forms.Form):
    """Who answers for whom."""

    holder_position = TreeChoice(Position, label="Whoever is", required=False, empty_label="A person by name:")
    holder_person = PersonChoice(label="Held by")
    field = forms.ChoiceField(label="Answers for", choices=Lead.Field.choices)
    unit = TreeChoice(Unit, label="Which unit", required=False, empty_label="None")
    named = PersonChoice(label="These people")
    group = forms.ModelChoiceField(Group.objects.all(), label="Or a group", required=False, empty_label="None")
    powers = PowersField()
    from_day = DayField(label="From", initial=clock.today)
    to_day = DayField(label="To", required=False, help_text="Empty: until it is ended.")

    def clean_holder_person(self) -> Person | None:
        people: list[Person] = list(self.cleaned_data["holder_person"])
        if len(people) > 1:
            raise forms.ValidationError("Name one person. For several, make a lead each.")
        return people[0] if people else None

    def clean_named(self) -> list[Person]:
        return list(self.cleaned_data["named"])

    def boxes(self) -> list[tuple[str, str, list[Person]]]:
        """The boxes that name people: (field, title, those named)."""
        fields: Any = self.fields
        return [(name, fields[name].label, fields[name].chosen(self.data, name)) for name in ("holder_person", "named")]


class LeadManyForm(CommonForm, forms.Form):
    """One person who answers for those chosen, by name."""

    holder_person = PersonChoice(label="Who leads them")
    powers = PowersField()
    from_day = DayField(label="From", initial=clock.today)

    def clean_holder_person(self) -> Person:
        people: list[Person] = list(self.cleaned_data["holder_person"])
        if len(people) != 1:
            raise forms.ValidationError("Name one person.")
        return people[0]

    def boxes(self) -> list[tuple[str, str, list[Person]]]:
        """The box that names a person: (field, title, those named)."""
        field: Any = self.fields["holder_person"]
        return [("holder_person", field.label, field.chosen(self.data, "holder_person"))]
