"""Leads: who answers for whom; and where nobody does."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Position, Unit
from stepladder.charts.pages import Act, act_page, first_day, the_day_after
from stepladder.leads import actions, queries
from stepladder.leads.forms import LeadForm, LeadManyForm
from stepladder.leads.models import Lead
from stepladder.leads.queries import describe_lead
from stepladder.people.choosing import chosen_people
from stepladder.people.forms import EndForm
from stepladder.people.views.many_page import data_of, many_page
from stepladder.web.day_fields import OnDayForm
from stepladder.web.tables import page_of


def leads(request: HttpRequest) -> HttpResponse:
    """Every lead that holds, or is to come, with who holds it."""
    day_form = OnDayForm(request.GET)
    day = day_form.day()
    context = {
        "rows": queries.lead_rows(day),
        "day": day,
        "day_form": day_form,
        "gaps": queries.gaps(day),
    }
    return render(request, "leads/leads.html", context, status=422 if day_form.errors else 200)


def gaps(request: HttpRequest) -> HttpResponse:
    """People who answer to nobody on a day."""
    day_form = OnDayForm(request.GET)
    day = day_form.day()
    found = queries.gaps(day)
    page = page_of(request, found.people, [("Name", ""), ("Number", "")])
    context = {"page": page, "day": day, "day_form": day_form}
    return render(request, "leads/gaps.html", context, status=422 if day_form.errors else 200)


def new_lead(request: HttpRequest) -> HttpResponse:
    """A new lead; its margin says who would answer to whom."""
    first: dict[str, Any] = {
        "unit": Unit.objects.filter(public_id=request.GET.get("unit", "")).first(),
        "holder_position": Position.objects.filter(public_id=request.GET.get("position", "")).first(),
    }
    if first["unit"]:
        first["field"] = Lead.Field.UNIT
    act = Act(
        title="New lead",
        verb="Save it",
        do=lambda data: actions.give_lead(by=account_of(request), **data),
        done_text=lambda made: f"{describe_lead(made)}: it holds.",
        onwards=lambda made: reverse("leads:leads"),
        back=reverse("leads:leads"),
        seen_on=first_day("from_day"),
    )
    return act_page(request, LeadForm(request.POST or None, initial=first), act, "leads/lead.html")


def end_lead(request: HttpRequest, lead: str) -> HttpResponse:
    """The last day of a lead."""
    found = get_object_or_404(Lead.objects.known_now(), public_id=lead)
    act = Act(
        title=f"End the lead: {describe_lead(found)}",
        verb="End it",
        do=lambda data: actions.end_lead(lead=found, by=account_of(request), **data),
        done_text=lambda ended: "The lead ends.",
        onwards=lambda ended: reverse("leads:leads"),
        back=reverse("leads:leads"),
        seen_on=the_day_after("to_day"),
    )
    return act_page(request, EndForm(request.POST or None), act)


@require_POST
def lead_many(request: HttpRequest) -> HttpResponse:
    """One person who answers for those chosen in the list of people."""
    people = chosen_people(request)
    act = Act(
        title=f"Somebody to lead {len(people)} people",
        verb="Save it",
        do=lambda data: actions.give_lead(
            holder_position=None, field=Lead.Field.NAMED, named=people, by=account_of(request), **data
        ),
        done_text=lambda made: "The lead holds.",
        onwards=lambda made: reverse("people:list"),
        back=reverse("people:list"),
        seen_on=first_day("from_day"),
    )
    return many_page(request, people, LeadManyForm(data_of(request)), act, "leads/lead_many.html")
