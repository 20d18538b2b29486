"""People: the list, a person's sheet, and hiring, moving and ending."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Position
from stepladder.charts.pages import Act, act_of_sheet, act_page, first_day, the_day_after
from stepladder.journal.queries import history
from stepladder.people import actions, queries
from stepladder.people.choosing import fitting, list_filters
from stepladder.people.conditions import condition_names
from stepladder.people.forms import AbsenceForm, EditForm, EndForm, FirstDayForm, HireForm, LeaveForm, MoveForm
from stepladder.people.models import Person, PersonField, Placement
from stepladder.people.naming import named_people
from stepladder.web import margin
from stepladder.web.day_fields import OnDayForm
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of, sorted_by
from stepladder.web.templatetags.web import day as written

SORTS = {"name": ("family_name", "given_name"), "number": ("employee_number",), "hired": ("hired_on",)}
STATES = ("active", "to come", "left", "all")


def _one(request: HttpRequest, public_id: str, verb: str = "change people") -> Person:
    people = policy.visible(request.user, verb, Person.objects.select_related("account"))
    return get_object_or_404(people, public_id=public_id)


def _sheet(person: Person) -> str:
    return reverse("people:person", args=[person.public_id])


def people_list(request: HttpRequest) -> HttpResponse:
    """People with filters; the index is the main unit chart."""
    asked = request.GET
    filters = list_filters(asked)
    unit, position, state = filters["unit"], filters["position"], filters["state"]
    sort, order = sorted_by(request, SORTS, "name")
    fields = list(PersonField.objects.filter(is_ended=False))
    wanted = {*asked.getlist("column"), filters["field"].public_id if filters["field"] else ""}
    columns = [field for field in fields if field.public_id in wanted]
    heads = [("Name", "name"), ("Number", "number"), ("Unit and position", ""), ("Hired", "hired")]
    heads += [*((field.name, "") for field in columns), ("", "")]
    page = page_of(request, fitting(asked, request.user).order_by(*order, "pk"), heads, sort=sort)
    context = {
        "page": page,
        "notes": margin.row_notes("person", [p.pk for p in page.rows], clock.today()),
        "unit": unit,
        "position": position,
        "state": state,
        "states": STATES,
        "who": filters["who"],
        "conditions": condition_names(),
        "to_come": _to_come(request, filters) if state == "active" else 0,
        "positions": Position.objects.order_by("name"),
        "q": asked.get("q", ""),
        "query": asked.urlencode(),
        "field": filters["field"],
        "value": filters["value"],
        "fields": fields,
        "columns": columns,
        "shown_values": queries.values_in(columns, [p.pk for p in page.rows]),
        "may_change": policy.may(request.user, "change people"),
        "verbs_on_many": margin.verb_links("people", request, None),
    }
    return render(request, "people/list.html", context)


def _to_come(request: HttpRequest, filters: dict[str, Any]) -> int:
    """How many more fit who are still to come."""
    found = queries.find_people(day=clock.today(), **{**filters, "state": "to come"})
    return policy.visible(request.user, "see people", found).count()


def find(request: HttpRequest) -> HttpResponse:
    """People to name, by the beginning of what one types."""
    text = request.GET.get("naming", "").strip()
    people = policy.visible(request.user, "assign", queries.find_people(text=text, day=clock.today()))
    found = people.order_by("family_name", "given_name", "pk")[:8] if text else []
    return render(request, "people/found.html", {"people": found, "field": request.GET.get("field", "named_in")})


@require_POST
def named(request: HttpRequest) -> HttpResponse:
    """The people whom a pasted text names, of those whom one may assign to; and what in it names nobody."""
    among = policy.visible(request.user, "assign", queries.find_people(text="", day=clock.today()))
    found = named_people(request.POST.get("who", ""), among)
    context = {"named": found, "field": request.POST.get("field", "named_in")}
    return render(request, "people/named.html", context)


def person(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _one(request, public_id, "see people")
    day_form = OnDayForm(request.GET)
    day = day_form.day()
    context = {
        "person": found,
        "sheet": queries.person_sheet(found, clock.today()),
        "form": EditForm(instance=found),
        "day": day,
        "day_form": day_form,
        "values": queries.values_of(found),
        "sections": margin.sections("person", request, found, day),
        "panels": margin.panels("person", request, found),
        "verbs": margin.verb_links("person", request, found),
        "history": history("person", found.public_id),
    }
    return render(request, "people/person.html", context)


@require_POST
def edit(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _one(request, public_id)
    form = EditForm(request.POST, instance=Person.objects.get(pk=found.pk))
    by = account_of(request)
    return save_sheet(
        request, form, found, lambda data, revision: actions.edit_person(person=found, revision=revision, by=by, **data)
    )


def hire(request: HttpRequest) -> HttpResponse:
    """A new person with their first placement."""
    act = Act(
        title="Hire somebody",
        verb="Hire",
        do=lambda data: actions.hire(by=account_of(request), **data),
        done_text=lambda hired: f"{hired.name} is hired.",
        onwards=_sheet,
        back=reverse("people:list"),
        seen_on=first_day("hired_on"),
    )
    return act_page(request, HireForm(request.POST or None), act)


def move(request: HttpRequest, public_id: str) -> HttpResponse:
    """A new placement, ending what one ticks."""
    found = _one(request, public_id)
    sheet = queries.person_sheet(found, clock.today())
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"Move {found.name}",
        verb="Move",
        do=lambda data: actions.move(person=found, by=account_of(request), **data),
        done_text=lambda placed: f"{found.name} moves to {placed.unit.name}.",
        seen_on=first_day("from_day"),
    )
    return act_page(request, MoveForm(request.POST or None, present=sheet.present), act)


def end_placement(request: HttpRequest, public_id: str, placement: str) -> HttpResponse:
    """The last day of one placement."""
    found = _one(request, public_id)
    ending = get_object_or_404(Placement.objects.known_now(), public_id=placement, person=found)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"End {ending.unit.name}",
        verb="End it",
        do=lambda data: actions.end_placement(placement=ending, by=account_of(request), **data),
        done_text=lambda ended: f"{ending.unit.name} ends.",
        seen_on=the_day_after("to_day"),
    )
    return act_page(request, EndForm(request.POST or None), act)


def first_day_of(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another first day than was recorded."""
    found = _one(request, public_id)
    employment = queries.person_sheet(found, clock.today()).employment
    if employment is None:
        raise Http404
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"{found.name}’s first day",
        verb="Correct it",
        do=lambda data: actions.correct_first_day(person=found, by=account_of(request), **data),
        done_text=lambda corrected: f"{found.name}’s first day is {written(corrected.hired_on)}.",
        seen_on=first_day("hired_on"),
    )
    return act_page(request, FirstDayForm(request.POST or None, initial={"hired_on": employment.hired_on}), act)


def leave_organisation(request: HttpRequest, public_id: str) -> HttpResponse:
    """The last day with the organisation."""
    found = _one(request, public_id)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"{found.name} leaves",
        verb="Record it",
        do=lambda data: actions.leave_organisation(person=found, by=account_of(request), **data),
        done_text=lambda ended: f"{found.name} leaves. Training records stay.",
        seen_on=the_day_after("left_on"),
    )
    return act_page(request, LeaveForm(request.POST or None), act)


def absence(request: HttpRequest, public_id: str) -> HttpResponse:
    """Leave of absence."""
    found = _one(request, public_id)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"{found.name} is away",
        verb="Record it",
        do=lambda data: actions.record_leave(person=found, by=account_of(request), **data),
        done_text=lambda leave: (
            f"{found.name}’s leave is recorded. What is due in it moves back; seats that fall into it stand on this sheet."
        ),
        seen_on=lambda data: clock.today(),
    )
    return act_page(request, AbsenceForm(request.POST or None), act)


def end_absence(request: HttpRequest, public_id: str, leave: str) -> HttpResponse:
    """Leave that ends on another day than was known, or never was."""
    found = _one(request, public_id)
    absence = get_object_or_404(found.leaves.known_now(), public_id=leave)
    act = act_of_sheet(
        (found.name, _sheet(found)),
        title=f"{found.name} is back",
        verb="Record it",
        do=lambda data: actions.end_leave(leave=absence, by=account_of(request), **data),
        done_text=lambda ended: f"{found.name}’s leave ends.",
        seen_on=lambda data: clock.today(),
    )
    return act_page(request, EndForm(request.POST or None), act)
