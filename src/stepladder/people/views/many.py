"""Verbs on many people at once: chosen by ticks, or all who fit the filters. The effect is told first; afterwards there is a way back."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django import forms
from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.models import FOLLOWING, Role
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Position, Unit
from stepladder.charts.pages import Act, first_day, the_day_after
from stepladder.charts.tree_choice import TreeChoice
from stepladder.people import actions
from stepladder.people.choosing import chosen_people
from stepladder.people.forms import EndForm, LeaveForm
from stepladder.people.models import Person
from stepladder.people.views.many_page import data_of, many_page
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["many"]


class MoveManyForm(CommonForm, forms.Form):
    unit = TreeChoice(Unit, label="Unit", empty_label="Choose a unit")
    keeps_position = forms.BooleanField(label="Each keeps their position", required=False, initial=True)
    position = TreeChoice(Position, label="Or the position", required=False, empty_label="None")
    from_day = DayField(label="From", initial=clock.today)
    ends_present = forms.BooleanField(
        label="What they have now ends the day before",
        required=False,
        initial=True,
        help_text="Without it they are placed there as well.",
    )


class EndManyForm(EndForm):
    unit = TreeChoice(Unit, label="Their placement in", empty_label="Choose a unit")
    field_order = ("unit", "to_day")


class RoleForm(CommonForm, forms.Form):
    role = forms.ChoiceField(
        label="Role", choices=[r for r in Role.choices if r[0] not in (*FOLLOWING, Role.UNIT_ADMINISTRATOR)]
    )


class SureForm(CommonForm, forms.Form):
    """Nothing to fill in."""


@require_POST
def many(request: HttpRequest, verb: str) -> HttpResponse:
    """One of the verbs on those chosen."""
    make = VERBS.get(verb)
    if make is None:
        raise Http404
    people = chosen_people(request)
    form, act = make(request, people, data_of(request))
    return many_page(request, people, form, act)


Made = tuple[forms.Form, Act]


def _act(
    title: str, verb: str, do: Callable[[dict[str, Any]], Any], done_text: str, seen: Any = None, **more: Any
) -> Act:
    return Act(
        title=title,
        verb=verb,
        do=do,
        done_text=lambda done: _said(done_text, done),
        onwards=lambda done: reverse("people:list"),
        back=reverse("people:list"),
        seen_on=seen,
        **more,
    )


def _said(text: str, done: Any) -> str:
    if not isinstance(done, actions.Done):
        return text
    over = f" Passed over: {'; '.join(done.passed_over[:5])}{'…' if len(done.passed_over) > 5 else ''}." * bool(
        done.passed_over
    )
    return f"{done.count} {text}.{over}"


def _move(request: HttpRequest, people: list[Person], data: QueryDict | None) -> Made:
    act = _act(
        f"Move {len(people)} people",
        "Move them",
        lambda data: actions.move_many(people=people, by=account_of(request), **data),
        "moved",
        first_day("from_day"),
    )
    return MoveManyForm(data), act


def _end(request: HttpRequest, people: list[Person], data: QueryDict | None) -> Made:
    act = _act(
        f"End a placement of {len(people)} people",
        "End it",
        lambda data: actions.end_many(people=people, by=account_of(request), **data),
        "placements end",
        the_day_after("to_day"),
    )
    return EndManyForm(data), act


def _leave(request: HttpRequest, people: list[Person], data: QueryDict | None) -> Made:
    act = _act(
        f"{len(people)} people leave",
        "Record it",
        lambda data: actions.leave_many(people=people, by=account_of(request), **data),
        "leave. Training records stay",
        the_day_after("left_on"),
    )
    return LeaveForm(data), act


def _invite(request: HttpRequest, people: list[Person], data: QueryDict | None) -> Made:
    act = _act(
        f"Invite {len(people)} people to sign in",
        "Send the invitations",
        lambda data: actions.invite_many(people=people, by=account_of(request)),
        "invited: each gets a link that works once, for fourteen days",
    )
    return SureForm(data), act


def _role(request: HttpRequest, people: list[Person], data: QueryDict | None) -> Made:
    act = _act(
        f"Give {len(people)} people a role",
        "Give it",
        lambda data: actions.give_role_many(people=people, by=account_of(request), **data),
        "got the role",
    )
    return RoleForm(data), act


VERBS: dict[str, Callable[[HttpRequest, list[Person], QueryDict | None], Made]] = {
    "move": _move,
    "end": _end,
    "leave": _leave,
    "invite": _invite,
    "role": _role,
}
