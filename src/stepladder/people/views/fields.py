"""Custom fields: the list of them, and their values on a person."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.charts.pages import Act, act_of_sheet, act_page
from stepladder.people import actions
from stepladder.people.forms.fields_of_people import FieldForm, ValuesForm
from stepladder.people.models import Person, PersonField


def fields(request: HttpRequest) -> HttpResponse:
    context = {"fields": PersonField.objects.all()}
    return render(request, "people/fields.html", context)


def new_field(request: HttpRequest) -> HttpResponse:
    act = Act(
        title="New field of people",
        verb="Make it",
        do=lambda data: actions.add_field(by=account_of(request), **data),
        done_text=lambda made: f"“{made.name}” can be filled in, imported and used in reaches.",
        onwards=lambda made: reverse("people:fields"),
        back=reverse("people:fields"),
    )
    return act_page(request, FieldForm(request.POST or None), act)


def field(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(PersonField, public_id=public_id)
    first = {"name": found.name, "choices": "\n".join(found.choices), "is_ended": found.is_ended}
    act = Act(
        title=f"The field “{found.name}”",
        verb="Save it",
        do=lambda data: actions.change_field(field=found, by=account_of(request), **data),
        done_text=lambda _: "The field is saved.",
        onwards=lambda _: reverse("people:fields"),
        back=reverse("people:fields"),
    )
    return act_page(request, FieldForm(request.POST or None, field=found, initial=first), act)


def values(request: HttpRequest, public_id: str) -> HttpResponse:
    """What the fields say of one person."""
    people = policy.visible(request.user, "change people", Person.objects.all())
    person = get_object_or_404(people, public_id=public_id)
    form = ValuesForm(request.POST or None, person=person)
    sheet = reverse("people:person", args=[public_id])
    act = act_of_sheet(
        (person.name, sheet),
        title=f"More about {person.name}",
        verb="Save it",
        do=lambda data: actions.set_values(person=person, values=form.values(), by=account_of(request)),
        done_text=lambda _: "It is saved.",
        seen_on=lambda data: clock.today(),
    )
    return act_page(request, form, act)
