"""Which roles come with a position."""

from __future__ import annotations

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.models import Role
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Position
from stepladder.charts.pages import act_of_sheet, act_page
from stepladder.events import EffectLine
from stepladder.people import queries
from stepladder.people.actions.position_roles import WITH_POSITIONS, set_position_roles
from stepladder.people.models import PositionRole
from stepladder.web.forms import CommonForm


class PositionRolesForm(CommonForm, forms.Form):
    roles = forms.MultipleChoiceField(
        label="Whoever is placed in it is",
        choices=[(role.value, role.label) for role in WITH_POSITIONS],
        widget=forms.CheckboxSelectMultiple,
        required=False,
        help_text="Beside learner, and beside what is given to them by name. It goes when they leave the position.",
    )


def position_roles(request: HttpRequest, public_id: str) -> HttpResponse:
    """The roles of a position, with how many people get or lose one by it."""
    position = get_object_or_404(Position, public_id=public_id)
    have = set(PositionRole.objects.known_now().filter(position=position).values_list("role", flat=True))

    def foretell(data: dict[str, list[str]]) -> list[EffectLine]:
        placed = queries.placed_in_position(position, clock.today())
        lines = [(role, "from now on", set(data["roles"]) - have) for role in WITH_POSITIONS]
        lines += [(role, "no longer, by it", have - set(data["roles"])) for role in WITH_POSITIONS]
        told = [
            EffectLine(f"placed in it: {Role(role).label.lower()} {when}", placed)
            for role, when, among in lines
            if role in among
        ]
        return told or [EffectLine("placed in it: nothing changes", placed)]

    act = act_of_sheet(
        (position.name, reverse("charts:node", args=[position.chart_id, position.public_id])),
        title=f"Roles that come with {position.name}",
        verb="Save the roles",
        do=lambda data: set_position_roles(position=position, by=account_of(request), **data),
        done_text=lambda _: f"What comes with {position.name} is saved.",
        seen_on=lambda _: clock.today(),
        foretell=foretell,
    )
    return act_page(request, PositionRolesForm(request.POST or None, initial={"roles": sorted(have)}), act)
