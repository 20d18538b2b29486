"""People: the list, a person's sheet, the charts, and hiring, moving and ending."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.journal.queries import history
from stepladder.people import actions, queries
from stepladder.people.errors import PeopleError
from stepladder.people.forms import EditForm, EndForm, HireForm, LeaveForm, MoveForm, NodeForm, RenameForm
from stepladder.people.models import Chart, Person, Placement, Position, Unit
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by

SORTS = {"name": ("family_name", "given_name"), "number": ("employee_number",), "hired": ("hired_on",)}
STATES = ("active", "to come", "left", "all")


def people_list(request: HttpRequest) -> HttpResponse:
    """People with filters; the index is the main unit chart."""
    asked = request.GET
    unit = Unit.objects.filter(public_id=asked.get("unit", "")).first()
    position = Position.objects.filter(public_id=asked.get("position", "")).first()
    state = asked.get("state", "active")
    day = clock.today()
    sort, order = sorted_by(request, SORTS, "name")
    people = queries.find_people(text=asked.get("q", ""), unit=unit, position=position, state=state, day=day)
    heads = [("Name", "name"), ("Number", "number"), ("Unit and position", ""), ("Hired", "hired"), ("", "")]
    page = page_of(request, people.order_by(*order, "pk"), heads, sort=sort)
    context = {
        "page": page,
        "facts": margin.row_facts("person", [p.pk for p in page.rows]),
        "unit": unit,
        "position": position,
        "state": state,
        "states": STATES,
        "positions": Position.objects.order_by("name"),
        "q": asked.get("q", ""),
        "tree": _unit_rows(day),
    }
    return render(request, "people/list.html", context)


def _unit_rows(day: date) -> list[queries.ChartRow]:
    main = Chart.objects.filter(kind=Chart.Kind.UNIT, is_main=True).first()
    return queries.chart_rows(main, day) if main else []


def person(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(Person.objects.select_related("account"), public_id=public_id)
    context = {
        "person": found,
        "sheet": queries.person_sheet(found, clock.today()),
        "form": EditForm(instance=found),
        "panels": margin.panels("person", request, found),
        "verbs": margin.verb_links("person", request, found),
        "history": history("person", found.public_id),
        "tree": _unit_rows(clock.today()),
    }
    return render(request, "people/person.html", context)


@require_POST
def edit(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(Person, public_id=public_id)
    form = EditForm(request.POST, instance=Person.objects.get(pk=found.pk))
    by = account_of(request)
    return save_sheet(
        request, form, found, lambda data, revision: actions.edit_person(person=found, revision=revision, by=by, **data)
    )


def hire(request: HttpRequest) -> HttpResponse:
    """A new person with their first placement."""
    form = HireForm(request.POST or None)

    def act(data: dict[str, Any]) -> str:
        hired = actions.hire(by=account_of(request), **data)
        toasts.say(request, f"{hired.name} is hired.")
        return reverse("people:person", args=[hired.public_id])

    return _form_page(request, form, act, {"title": "Hire somebody", "verb": "Hire"})


def move(request: HttpRequest, public_id: str) -> HttpResponse:
    """A new placement, ending what one ticks."""
    found = get_object_or_404(Person, public_id=public_id)
    sheet = queries.person_sheet(found, clock.today())
    form = MoveForm(request.POST or None, present=sheet.present)

    def act(data: dict[str, Any]) -> str:
        placed = actions.move(person=found, by=account_of(request), **data)
        toasts.say(request, f"{found.name} moves to {placed.unit.name}.")
        return reverse("people:person", args=[found.public_id])

    return _form_page(request, form, act, {"title": f"Move {found.name}", "verb": "Move", "person": found})


def end_placement(request: HttpRequest, public_id: str, placement: str) -> HttpResponse:
    """The last day of one placement."""
    found = get_object_or_404(Person, public_id=public_id)
    ending = get_object_or_404(Placement.objects.known_now(), public_id=placement, person=found)
    form = EndForm(request.POST or None)

    def act(data: dict[str, Any]) -> str:
        actions.end_placement(placement=ending, by=account_of(request), **data)
        toasts.say(request, f"{ending.unit.name} ends.")
        return reverse("people:person", args=[found.public_id])

    return _form_page(request, form, act, {"title": f"End {ending.unit.name}", "verb": "End it", "person": found})


def leave_organisation(request: HttpRequest, public_id: str) -> HttpResponse:
    """The last day with the organisation."""
    found = get_object_or_404(Person, public_id=public_id)
    form = LeaveForm(request.POST or None)

    def act(data: dict[str, Any]) -> str:
        actions.leave_organisation(person=found, by=account_of(request), **data)
        toasts.say(request, f"{found.name} leaves. Training records stay.")
        return reverse("people:person", args=[found.public_id])

    context = {"title": f"{found.name} leaves", "verb": "Record it", "person": found}
    return _form_page(request, form, act, context)


def charts(request: HttpRequest) -> HttpResponse:
    """Every chart as a tree."""
    day = clock.today()
    drawn = [(chart, queries.chart_rows(chart, day)) for chart in queries.charts()]
    return render(request, "people/charts.html", {"charts": drawn})


def new_node(request: HttpRequest, chart: int) -> HttpResponse:
    """A unit or position more in a chart."""
    found = get_object_or_404(Chart, pk=chart)
    what = "unit" if found.kind == Chart.Kind.UNIT else "position"
    form = NodeForm(request.POST or None, chart=found)

    def act(data: dict[str, Any]) -> str:
        node = actions.add_node(chart=found, by=account_of(request), **data)
        toasts.say(request, f"{node.name} is in the chart.")
        return reverse("people:charts")

    return _form_page(request, form, act, {"title": f"New {what} in {found.name}", "verb": "Add it"})


def rename_node(request: HttpRequest, chart: int, node: str) -> HttpResponse:
    """Another name for a unit or a position."""
    found = get_object_or_404(queries.nodes_of(get_object_or_404(Chart, pk=chart)), public_id=node)
    form = RenameForm(request.POST or None, initial={"name": found.name})

    def act(data: dict[str, Any]) -> str:
        actions.rename_node(node=found, by=account_of(request), **data)
        toasts.say(request, f"It is called {data['name']} from now on.")
        return reverse("people:charts")

    return _form_page(request, form, act, {"title": f"Rename {found.name}", "verb": "Rename it"})


def _form_page(
    request: HttpRequest, form: forms.Form, act: Callable[[dict[str, Any]], str], context: dict[str, Any]
) -> HttpResponse:
    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, lambda: act(form.cleaned_data))
        except PeopleError as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, str(refusal))
    return render(request, "people/form.html", {"form": form, **context}, status=422 if form.errors else 200)
