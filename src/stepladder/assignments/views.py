"""Assign: the list of assignments, a new one with what it would do, and waivers."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.assignments import actions, effects, queries
from stepladder.assignments.drawing import months_line
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.forms import AssignForm, EndForm, WaiverForm
from stepladder.assignments.listing import AskedPersons, assignment_rows, ruled
from stepladder.assignments.models import Assignment, AssignmentRule, Waiver
from stepladder.assignments.over_year import causes_of, over_year, would_have
from stepladder.assignments.preview import preview
from stepladder.assignments.scoping import is_manager_only, narrowed, own_parts
from stepladder.core.reach import ReachError
from stepladder.courses.models import Course
from stepladder.facts import Overtaken
from stepladder.journal import undoing
from stepladder.journal.queries import history
from stepladder.learning.queries import course_titles
from stepladder.people.choosing import chosen_people
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.queue.queries import under_way
from stepladder.reaches.reach_forms import form_expresses, form_of, means_the_same, reach_context, stored_reach
from stepladder.reaches.stored import load_world, parse
from stepladder.web import margin, toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


def assignment_list(request: HttpRequest) -> HttpResponse:
    show = request.GET.get("show", "")
    rules = ruled(policy.visible(request.user, "assign", Assignment.objects.all()), show=show)
    heads = [("Called", ""), ("Course", ""), ("Whom", ""), ("People", ""), ("Late", "")]
    page = page_of(request, rules, heads)
    context = {"page": page, "rows": assignment_rows(page.rows), "show": show}
    return render(request, "assignments/list.html", context)


def new(request: HttpRequest) -> HttpResponse:
    """A new assignment; its margin shows what it would do."""
    first = {"course": request.GET.get("course", "")}
    form = AssignForm(request.POST or None, initial=first)
    form.listed_for(request.user)
    if request.method == "POST" and form.is_valid():
        reach = stored_reach(request.POST)
        # Before the form is taken, which holds the pen: it takes long where there are many.
        people = actions.in_reach(form.rule(reach))

        def act() -> str:
            with undoing.watched() as watched:
                made = actions.assign(
                    course=form.cleaned_data["course"],
                    name=form.cleaned_data["name"],
                    message=form.cleaned_data["message"],
                    later_message=form.cleaned_data["later_message"],
                    rule=form.rule(reach),
                    people=people,
                    by=account_of(request),
                )
            follows = under_way("assignment", made.public_id)
            how = (
                "It is being carried out; how far it is stands here." if follows else "Whoever needs it has been told."
            )
            toasts.say(request, f"“{made.name}” is assigned. {how}", act=watched.act)
            return reverse("assignments:assignment", args=[made.public_id])

        try:
            return act_once(request, act)
        except AssignmentError as refusal:
            form.add_error(refusal.field if refusal.field in form.fields else None, str(refusal))
    data: QueryDict = request.POST if request.method == "POST" else QueryDict()
    return _form_page(request, form, data)


def year(request: HttpRequest, public_id: str) -> HttpResponse:
    """What an assignment did within the last year, to whom and why; and what it would have done, had it stood then as today."""
    found, today = _one(request, public_id), clock.today()
    rule, shown = queries.rule_of(found), people_seen(request.user, "assign")
    did, would = over_year(found, today, shown=shown), would_have(rule, today, shown=shown)
    heads = [("Name", ""), ("Asked since", ""), ("Because they", ""), ("Due", ""), ("No more since", "")]
    page = page_of(request, did.rows, heads)
    causes, people = causes_of(page.rows, rule), Person.objects.in_bulk([row.person for row in page.rows])
    context = {
        "assignment": found,
        "rule": rule,
        "did": did,
        "would": would,
        "did_line": months_line(did),
        "would_line": months_line(would),
        "page": page,
        "rows": [(people[row.person], row, causes[row]) for row in page.rows],
    }
    return render(request, "assignments/year.html", context)


def change(request: HttpRequest, public_id: str) -> HttpResponse:
    """A running assignment that asks otherwise from now on; its margin shows what that does."""
    found = _one(request, public_id)
    rule = queries.rule_of(found)
    form = AssignForm(request.POST or None, initial=AssignForm.initial_of(found, rule))
    form.only_for(found)
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            with undoing.watched() as watched:
                actions.change_assignment(
                    assignment=found,
                    name=form.cleaned_data["name"],
                    message=form.cleaned_data["message"],
                    # A page that was opened before there were such words leaves them as they are.
                    later_message=form.cleaned_data["later_message"]
                    if "later_message" in request.POST
                    else found.later_message,
                    rule=form.rule(_reach_sent(request, rule)),
                    by=account_of(request),
                )
            toasts.say(request, f"“{found.name}” is changed. Whoever comes to need it is told.", act=watched.act)
            return reverse("assignments:assignment", args=[public_id])

        try:
            return act_once(request, act)
        except (AssignmentError, Overtaken) as refusal:
            of = getattr(refusal, "field", "")
            form.add_error(of if of in form.fields else None, str(refusal))
    data = request.POST if request.method == "POST" else form_of(rule.reach)
    return _form_page(request, form, data, found, rule)


def _reach_sent(request: HttpRequest, rule: AssignmentRule) -> dict[str, Any]:
    """Whom a form means to change a rule to; as it was where it means the same, or where the form cannot show it."""
    sent, before = stored_reach(request.POST), rule.reach
    return before if not form_expresses(before) or means_the_same(sent, before) else sent


def _form_page(
    request: HttpRequest,
    form: AssignForm,
    data: QueryDict,
    assignment: Assignment | None = None,
    rule: AssignmentRule | None = None,
) -> HttpResponse:
    # What the form of a reach cannot show stays as it is, rather than be lost.
    fixed = rule is not None and not form_expresses(rule.reach)
    context = {
        "form": form,
        "assignment": assignment,
        "fixed_reach": queries.reach_sentence(rule, course_titles()) if rule is not None and fixed else "",
        "by_name_only": is_manager_only(account_of(request)),
        "own_parts": own_parts(request.user),
        **reach_context(data, request.user),
    }
    return render(request, "assignments/new.html", context, status=422 if form.errors else 200)


# More are not named one by one: what they have in common is said by conditions, and stays true when others come.
MOST_NAMED = 500


@require_POST
def new_for(request: HttpRequest) -> HttpResponse:
    """The form of a new assignment, for the people who were chosen in a list."""
    people = chosen_people(request, "assign")
    if not people or len(people) > MOST_NAMED:
        says = f"{len(people)} people are too many to name: say by conditions whom it reaches."
        toasts.trouble(
            request, says if people else "Nobody is chosen whom you may assign something. Tick people first."
        )
        return redirect("assignments:new" if people else "people:list")
    data = QueryDict(mutable=True)
    data.setlist("named_in", [person.public_id for person in people])
    form = AssignForm()
    form.listed_for(request.user)
    return _form_page(request, form, data)


@require_POST
def effect(request: HttpRequest) -> HttpResponse:
    """What the form, as it stands, would do."""
    form, reach = AssignForm(request.POST), stored_reach(request.POST)
    form.listed_for(request.user)
    changed = _one(request, request.GET["of"]) if request.GET.get("of") else None
    if changed is not None:
        before = queries.rule_of(changed)
        form = AssignForm(request.POST, initial=AssignForm.initial_of(changed, before))
        form.only_for(changed)
        if not form_expresses(before.reach):
            reach = before.reach
    form.is_valid()
    course = form.cleaned_data.get("course")
    context: dict[str, Any] = {}
    needed = [
        f for f in ("start", "end", "due", "due_day", "due_days", "notice_days", "taken_from") if f in form.errors
    ]
    if needed:
        context["waits"] = form.errors[needed[0]][0]
    else:
        try:
            reach = narrowed(request.user, reach)
            parse(reach).check(own_courses=actions.courses_of(course), groups=load_world().groups)
        except (AssignmentError, ReachError) as refusal:
            context["waits"] = str(refusal)
        else:
            context["preview"] = found = preview(form.rule(reach), course)
            context["changes"] = None if changed is None else effects.change_effect(changed, form.rule(reach))
            context["shows_status"] = len(_readable(request, found.people)) == len(found.people)
    return render(request, "assignments/effect.html", context)


def _readable(request: HttpRequest, people: Collection[int]) -> set[int]:
    """Of these people, those whose record the reader may read: to assign alone is not to know how they stand."""
    shown = policy.visible(request.user, "read records", Person.objects.filter(pk__in=people))
    return set(shown.values_list("pk", flat=True))


def _one(request: HttpRequest, public_id: str) -> Assignment:
    shown = policy.visible(request.user, "assign", Assignment.objects.select_related("course", "path"))
    shown = shown.filter(pk__in=AssignmentRule.objects.known_now().values("assignment"))
    return get_object_or_404(shown, public_id=public_id)


def assignment(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _one(request, public_id)
    rule = queries.rule_of(found)
    rows = AskedPersons(
        found,
        clock.today(),
        shown=people_seen(request.user, "assign"),
        readable=people_seen(request.user, "read records"),
    )
    heads = [("Name", ""), ("Status", ""), ("Due", ""), ("Valid until", "")]
    if found.path_id is not None:
        heads.insert(1, ("Climbed", ""))
    page = page_of(request, rows, heads)
    context = {
        "assignment": found,
        "rule": rule,
        "reach": queries.reach_sentence(rule, course_titles()),
        "page": page,
        "form": EndForm(),
        "panels": margin.panels("assignment", request, found),
        "history": history("assignment", found.public_id),
        "is_over": rule.end is not None and rule.end < clock.today(),
    }
    return render(request, "assignments/assignment.html", context)


@require_POST
def end(request: HttpRequest, public_id: str) -> HttpResponse:
    found = _one(request, public_id)
    form = EndForm(request.POST)
    address = reverse("assignments:assignment", args=[public_id])
    if not form.is_valid():
        toasts.trouble(request, "That is no day of the calendar. Nothing was changed.")
        return act_once(request, lambda: address)

    def act() -> str:
        with undoing.watched() as watched:
            actions.end_assignment(assignment=found, end=form.cleaned_data["end"], by=account_of(request))
        toasts.say(request, f"“{found.name}” ends.", act=watched.act)
        return address

    try:
        return act_once(request, act)
    except AssignmentError as refusal:
        toasts.trouble(request, str(refusal))
        return act_once(request, lambda: address)


def waive(request: HttpRequest, person: str) -> HttpResponse:
    """Waive somebody from a course."""
    found = get_object_or_404(policy.visible(request.user, "waive", Person.objects.all()), public_id=person)
    course = Course.objects.filter(public_id=request.GET.get("course", "")).first()
    form = WaiverForm(request.POST or None, initial={"course": course.public_id if course else ""})
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            with undoing.watched() as watched:
                actions.grant_waiver(person=found, by=account_of(request), **form.cleaned_data)
            toasts.say(request, f"{found.name} is waived.", act=watched.act)
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
    people = policy.visible(request.user, "waive", Person.objects.all())
    waivers = Waiver.objects.known_now().filter(person__in=people).select_related("person", "course")
    waiver = get_object_or_404(waivers, public_id=public_id)

    def act() -> str:
        actions.revoke_waiver(waiver=waiver, by=account_of(request))
        toasts.say(request, "The waiver is taken back.")
        return reverse("assignments:waive", args=[waiver.person.public_id])

    return act_once(request, act)
