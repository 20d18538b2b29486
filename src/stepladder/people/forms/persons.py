"""Hire, move, end."""

from __future__ import annotations

from typing import Any

from django import forms

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.accounts.sign_in import EmailTaken
from stepladder.charts.models import Position, Unit
from stepladder.charts.tree_choice import TreeChoice
from stepladder.people.forms.fields import PlacementChoice
from stepladder.people.models import Person, Placement
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["AbsenceForm", "EditForm", "EndForm", "HireForm", "LeaveForm", "MoveForm"]


class HireForm(CommonForm, forms.Form):
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


class EditForm(CommonForm, forms.ModelForm[Person]):
    class Meta:
        model = Person
        fields = ("given_name", "family_name", "email", "phone", "outside_id")
        labels = {
            "given_name": "Given name",
            "family_name": "Family name",
            "email": "E-mail",
            "phone": "Phone",
            "outside_id": "Identifier elsewhere",
        }
        help_texts = {"outside_id": "What another system, payroll say, calls this person."}

    def clean_outside_id(self) -> str | None:
        return self.cleaned_data["outside_id"] or None

    def clean_email(self) -> str:
        email: str = self.cleaned_data["email"]
        account = self.instance.account
        if account and Account.objects.filter(email=email.lower()).exclude(pk=account.pk).exists():
            raise forms.ValidationError(str(EmailTaken(email)))
        return email


class MoveForm(CommonForm, forms.Form):
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


class EndForm(CommonForm, forms.Form):
    to_day = DayField(label="Last day", initial=lambda: clock.today())


class FirstDayForm(CommonForm, forms.Form):
    hired_on = DayField(
        label="First day", help_text="Placements that begin with the old one begin with this one instead."
    )


class LeaveForm(CommonForm, forms.Form):
    left_on = DayField(label="Last day with us", initial=lambda: clock.today())


class AbsenceForm(CommonForm, forms.Form):
    from_day = DayField(label="Away from", initial=lambda: clock.today())
    to_day = DayField(label="To", required=False, help_text="The last day away. Empty: not known yet.")
