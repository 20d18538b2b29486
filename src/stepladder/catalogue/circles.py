"""Who is asked about a request: read by the act of asking and by the page that says who decides. Rules: 12, 20."""

from __future__ import annotations

from datetime import date

from stepladder.accounts.models import Role, RoleGrant
from stepladder.catalogue.models import Request
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import AdministeredPart
from stepladder.core.admission import circles
from stepladder.core.leads import Power
from stepladder.leads.queries import reporting_lines
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on

__all__ = ["circles_for", "waiting_requests"]


def circles_for(person: Person, today: date) -> list[frozenset[int]]:
    """Who may be asked about somebody, circle by circle, as accounts that can sign in; by the charts of a day."""
    lines = [line for line in reporting_lines([person.pk], today) if Power.APPROVE in line.powers]
    account_of = dict(
        Person.objects.filter(pk__in={line.leader for line in lines}, account__is_active=True).values_list(
            "pk", "account_id"
        )
    )
    direct = {account_of[line.leader] for line in lines if line.direct and line.leader in account_of}
    indirect = {account_of[line.leader] for line in lines if not line.direct and line.leader in account_of}
    tree = units_tree(today)
    placed = Placement.objects.filter(valid_on(today), person=person).values_list("unit_id", flat=True)
    above = {up for unit in placed for up in (tree.upwards(unit) if unit in tree.parent else (unit,))}
    part = set(
        AdministeredPart.objects.filter(unit__in=above, account__is_active=True).values_list("account_id", flat=True)
    )
    every = set(
        RoleGrant.objects.filter(role=Role.ADMINISTRATOR, account__is_active=True).values_list("account_id", flat=True)
    )
    return circles([direct, indirect, part, every], own=person.account_id)


def waiting_requests() -> list[Request]:
    """All requests that wait, with what deciding on them needs."""
    rows = Request.objects.filter(state=Request.State.WAITS).select_related("person", "course__binder", "path__binder")
    return list(rows.order_by("pk"))
