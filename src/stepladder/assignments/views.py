"""Assign: the list of assignments, a new one with what it would do, and waivers."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.assignments import actions, queries
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.forms import (
    MOST_GROUPS,
    AssignForm,
    EndForm,
    Group,
    WaiverForm,
    read_groups,
    stored_reach,
)
from stepladder.assignments.listing import assignment_rows
from stepladder.assignments.models import Assignment, Waiver
from stepladder.assignments.preview import preview
from stepladder.core.reach import ReachError
from stepladder.core.requirements import WORST_FIRST
from stepladder.courses.models import Course
from stepladder.journal.queries import history
from stepladder.learning.queries import course_titles
from stepladder.people.models import Person
from stepladder.people.queries import find_people, positions_tree, units_tree
from stepladder.people.reaches import parse
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


def assignment_list(request: HttpRequest) -> HttpResponse:
    rows = assignment_rows()
    show = request.GET.get("show", "")
    if show == "ended":
        rows = [r for r in rows if not r.is_running]
    elif not show:
        rows = [r for r in rows if r.rule.end is None or r.rule.end >= clock.today()]
    heads = [("Called", ""), ("Course", ""), ("Whom", ""), ("People", ""), ("Late", "")]
    page = page_of(request, rows, heads, numeric=frozenset())
    return render(request, "assignments/list.html", {"page": page, "show": show})


def _pickers() -> dict[str, Any]:
    units, positions = units_tree(), positions_tree()
    return {
        "units": [(node, depth, units.name[node]) for node, depth in units.walk()],
        "positions": [(node, depth, positions.name[node]) for node, depth in positions.walk()],
        "kinds": Person.Kind.choices,
    }


def new(request: HttpRequest) -> HttpResponse:
    """A new assignment; its margin shows what it would do."""
    first = {"course": request.GET.get("course", "")}
    form = AssignForm(request.POST or None, initial=first)
    if request.method == "POST" and form.is_valid():
        reach = stored_reach(request.POST)

        def act() -> str:
            made = actions.assign(
                course=form.cleaned_data["course"],
                name=form.cleaned_data["name"],
                message=form.cleaned_data["message"],
                rule=form.rule(reach),
                by=account_of(request),
            )
            toasts.say(request, f"“{made.name}” is assigned. Whoever needs it has been told.")
            return reverse("assignments:assignment", args=[made.public_id])

        try:
            return act_once(request, act)
        except AssignmentError as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, str(refusal))
    data: QueryDict = request.POST if request.method == "POST" else QueryDict()
    context = {
        "form": form,
        "groups": read_groups(data),
        "join": data.get("join", "all"),
        "everyone": data.get("everyone", ""),
        "named_in": _named(data, "named_in"),
        "named_out": _named(data, "named_out"),
        **_pickers(),
    }
    return render(request, "assignments/new.html", context, status=422 if form.errors else 200)


def _named(data: QueryDict, name: str) -> list[Person]:
    return list(Person.objects.filter(public_id__in=data.getlist(name)))


@require_POST
def effect(request: HttpRequest) -> HttpResponse:
    """What the form, as it stands, would do."""
    form = AssignForm(request.POST)
    form.is_valid()
    reach = stored_reach(request.POST)
    course = form.cleaned_data.get("course")
    context: dict[str, Any] = {}
    needed = [
        f for f in ("start", "end", "due", "due_day", "due_days", "notice_days", "taken_from") if f in form.errors
    ]
    if needed:
        context["waits"] = form.errors[needed[0]][0]
    else:
        try:
            parse(reach).check(own_courses=frozenset({course.pk} if course else ()))
        except ReachError as refusal:
            context["waits"] = str(refusal)
        else:
            context["preview"] = preview(form.rule(reach), course)
    return render(request, "assignments/effect.html", context)


def group(request: HttpRequest) -> HttpResponse:
    """A further, empty group of conditions."""
    asked = request.GET.get("number", "")
    number = min(int(asked), MOST_GROUPS - 1) if asked.isdecimal() else 1
    return render(request, "assignments/group.html", {"group": Group({}, number), **_pickers()})


def people(request: HttpRequest) -> HttpResponse:
    """People to name, by the beginning of what one types."""
    text = request.GET.get("who", "").strip()
    found = find_people(text=text, day=clock.today()).order_by("family_name", "given_name")[:8] if text else []
    return render(request, "assignments/people.html", {"people": found, "field": request.GET.get("field", "named_in")})


def assignment(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(Assignment.objects.select_related("course"), public_id=public_id)
    rule = queries.rule_of(found)
    rows = [
        row
        for row in queries.requirements(day=clock.today(), courses=[found.course_id])
        if any(r.assignment_id == found.pk for r in row.reasons)
    ]
    persons = Person.objects.in_bulk([row.person for row in rows])
    rows.sort(key=lambda row: (WORST_FIRST.index(row.requirement.status), persons[row.person].family_name))
    heads = [("Name", ""), ("Status", ""), ("Due", ""), ("Valid until", "")]
    page = page_of(request, [(persons[row.person], row) for row in rows], heads)
    context = {
        "assignment": found,
        "rule": rule,
        "reach": queries.reach_sentence(rule, course_titles()),
        "page": page,
        "form": EndForm(),
        "history": history("assignment", found.public_id),
        "is_over": rule.end is not None and rule.end < clock.today(),
    }
    return render(request, "assignments/assignment.html", context)


@require_POST
def end(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(Assignment, public_id=public_id)
    form = EndForm(request.POST)
    address = reverse("assignments:assignment", args=[public_id])
    if not form.is_valid():
        toasts.trouble(request, "That is no day of the calendar. Nothing was changed.")
        return act_once(request, lambda: address)

    def act() -> str:
        actions.end_assignment(assignment=found, end=form.cleaned_data["end"], by=account_of(request))
        toasts.say(request, f"“{found.name}” ends.")
        return address

    try:
        return act_once(request, act)
    except AssignmentError as refusal:
        toasts.trouble(request, str(refusal))
        return act_once(request, lambda: address)


def waive(request: HttpRequest, person: str) -> HttpResponse:
    """Waive somebody from a course."""
    found = get_object_or_404(Person, public_id=person)
    course = Course.objects.filter(public_id=request.GET.get("course", "")).first()
    form = WaiverForm(request.POST or None, initial={"course": course.public_id if course else ""})
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            actions.grant_waiver(person=found, by=account_of(request), **form.cleaned_data)
            toasts.say(request, f"{found.name} is waived.")
            return reverse("people:person", args=[found.public_id])

        try:
            return act_once(request, act)
        except AssignmentError as refusal:
            form.add_error(refusal.field or None, str(refusal))
    waivers = Waiver.objects.known_now().filter(person=found).select_related("course").order_by("-from_day")
    context = {"person": found, "form": form, "waivers": waivers}
    return render(request, "assignments/waive.html", context, status=422 if form.errors else 200)


@require_POST
def revoke_waiver(request: HttpRequest, public_id: str) -> HttpResponse:
    waiver = get_object_or_404(Waiver.objects.known_now().select_related("person", "course"), public_id=public_id)

    def act() -> str:
        actions.revoke_waiver(waiver=waiver, by=account_of(request))
        toasts.say(request, "The waiver is taken back.")
        return reverse("assignments:waive", args=[waiver.person.public_id])

    return act_once(request, act)
