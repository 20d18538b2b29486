"""A person's sign-in: invited or not, what they may do, and the lock."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy, sign_in
from stepladder.accounts.models import FOLLOWING, Role
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Unit
from stepladder.charts.tree_choice import MANY_NODES, TreeChoice
from stepladder.journal.queries import history
from stepladder.people import actions
from stepladder.people.errors import PeopleError
from stepladder.people.models import Person
from stepladder.people.permissions import roles_by_position
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once


class RolesForm(CommonForm, forms.Form):
    roles = forms.MultipleChoiceField(
        label="Beside learner",
        choices=[r for r in Role.choices if r[0] not in (*FOLLOWING, Role.LEARNER)],
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )
    parts = forms.ModelMultipleChoiceField(
        Unit.objects.order_by("chart", "place"),
        label="As unit administrator, for these units and below",
        to_field_name="public_id",
        widget=forms.CheckboxSelectMultiple,
        required=False,
    )
    another = TreeChoice(Unit, label="And for this one, and below", required=False, empty_label="no more")

    def __init__(self, *args: Any, parts: Sequence[Unit] = (), **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        # Of a small chart every unit stands there to be ticked; of a large one those that are ticked, and a list for the next.
        if Unit.objects.count() <= MANY_NODES:
            del self.fields["another"]
        else:
            ticks: Any = self.fields["parts"]
            ticks.choices = [(unit.public_id, unit.name) for unit in parts]
            if not parts:
                another: Any = self.fields["another"]
                another.label, another.empty_label = "As unit administrator, for this unit and below", "no unit"
                another.listed()

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        another = data.pop("another", None)
        return data | {"parts": [*data.get("parts", ()), *([another] if another else [])]}


def _one(request: HttpRequest, public_id: str, verb: str) -> Person:
    people = policy.visible(request.user, "invite", Person.objects.select_related("account"))
    found = get_object_or_404(people, public_id=public_id)
    policy.require(request.user, verb)
    return found


def person_sign_in(request: HttpRequest, public_id: str) -> HttpResponse:
    """How somebody signs in; sent, a fresh invitation goes out."""
    person = _one(request, public_id, "invite")
    address = reverse("people:sign_in", args=[public_id])

    def act() -> str:
        try:
            done = actions.invite_many(people=[person], by=account_of(request))
        except PeopleError as refusal:
            toasts.trouble(request, str(refusal))
        else:
            toasts.say(request, f"An invitation is on its way to {person.email}.", act=done.act)
        return address

    if request.method == "POST":
        return act_once(request, act)
    account = person.account
    form = _roles_form(person)
    context = {
        "person": person,
        "account_of_person": account,
        "waiting": account.links.filter(used_at=None, withdrawn_at=None).order_by("-made_at").first()
        if account
        else None,
        "now": clock.now(),
        "form": form,
        "by_position": [r.label for r in Role if r in roles_by_position(person)],
        "history": history("account", account.public_id) if account else [],
    }
    return render(request, "people/sign_in.html", context)


def _roles_form(person: Person) -> RolesForm | None:
    if person.account is None:
        return None
    parts = list(Unit.objects.filter(administered_by__account=person.account_id).order_by("chart", "place"))
    return RolesForm(initial={"roles": list(person.account.roles), "parts": parts}, parts=parts)


@require_POST
def roles(request: HttpRequest, public_id: str) -> HttpResponse:
    """What they may do from now on."""
    person = _one(request, public_id, "change roles")
    form = RolesForm(request.POST)
    if not person.account or not form.is_valid():
        toasts.trouble(request, "Something that was chosen can no longer be chosen. Nothing was saved.")
    else:
        try:
            actions.set_roles_and_parts(person=person, by=account_of(request), **form.cleaned_data)
        except (PeopleError, sign_in.LastAdministrator) as refusal:
            toasts.trouble(request, str(refusal))
        else:
            toasts.say(request, f"What {person.name} may do is saved.")
    return redirect("people:sign_in", public_id)


@require_POST
def lock(request: HttpRequest, public_id: str) -> HttpResponse:
    """Locked, the sign-in opens nothing; whoever is signed in with it is out at the next page."""
    person = _one(request, public_id, "change roles")
    account = person.account
    if account:
        try:
            if not account.is_locked:
                sign_in.lock_account(account=account, by=account_of(request))
            else:
                sign_in.unlock_account(account=account, by=account_of(request))
        except sign_in.LastAdministrator as refusal:
            toasts.trouble(request, str(refusal))
        else:
            toasts.say(request, f"{person.name} {'may sign in again' if account.is_active else 'is locked out'}.")
    return redirect("people:sign_in", public_id)
