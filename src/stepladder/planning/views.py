"""Plans of sessions: all of them, a new one, and one on its week, to be changed and taken over."""

from __future__ import annotations

from datetime import date, timedelta
from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.charts.models import Unit
from stepladder.core.reach import ReachError
from stepladder.journal import undoing
from stepladder.planning import actions, showing
from stepladder.planning.drawing import draw_week
from stepladder.planning.errors import PlanningError
from stepladder.planning.forms import PlanForm
from stepladder.planning.models import Plan, PlanSession
from stepladder.planning.reading import people_of
from stepladder.queue.queries import under_way
from stepladder.reaches.reach_forms import reach_context
from stepladder.reaches.stored import load_world, parse
from stepladder.refusals import Refusal
from stepladder.timetable.models import Teaching
from stepladder.timetable.views.pages import frame
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("Plan", ""), ("From", ""), ("To", ""), ("People", ""), ("Sessions", ""), ("Late", ""), ("State", "")]
ROWS = [("When", ""), ("Where", ""), ("Who teaches", ""), ("Who", ""), ("", "")]


def plans(request: HttpRequest) -> HttpResponse:
    """Every plan, the newest first."""
    rows = Plan.objects.select_related("module", "account").prefetch_related("sessions")
    page = page_of(request, rows, HEADS, numeric=frozenset({"People", "Sessions", "Late"}))
    return render(request, "planning/plans.html", frame(request, page=page, here_plans=True))


def new(request: HttpRequest) -> HttpResponse:
    """A new plan; an address can bring a module and a unit along."""
    data = request.POST if request.method == "POST" else _brought_along(request.GET)
    form = PlanForm(request.POST or None, initial={"module": request.GET.get("module", "")})
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            asked = form.asked(request.POST)
            _check_reach(asked.reach)
            plan = actions.ask_plan(asked=asked, by=account_of(request))
            toasts.say(request, "The plan is being worked out. You may leave its page and come back.")
            return reverse("planning:plan", args=[plan.public_id])

        try:
            return act_once(request, act)
        except PlanningError as refusal:
            form.add_error(refusal.field or None, str(refusal))
    context = {"form": form, "here_plans": True, **reach_context(data, request.user)}
    return render(request, "planning/new.html", frame(request, **context), status=422 if form.errors else 200)


def _check_reach(reach: dict[str, Any]) -> None:
    try:
        parse(reach).check(groups=load_world().groups)
    except ReachError as refusal:
        raise PlanningError(str(refusal)) from refusal


def _brought_along(asked: QueryDict) -> QueryDict:
    data = QueryDict(mutable=True)
    unit = Unit.objects.filter(public_id=asked.get("unit", "")).first()
    if unit is not None:
        data["g0-unit"] = str(unit.pk)
    elif asked.get("module"):
        data["everyone"] = "1"
    return data


@require_POST
def effect(request: HttpRequest) -> HttpResponse:
    """Who needs a seat, as the form stands."""
    form = PlanForm(request.POST)
    context: dict[str, Any] = {}
    if not form.is_valid():
        name, found = next(iter(form.errors.items()))
        context["waits"] = f"{form.fields[name].label}: {found[0]}"
        return render(request, "planning/effect.html", context)
    asked = form.asked(request.POST)
    try:
        asked.check()
        _check_reach(asked.reach)
        needed = people_of(asked.unsaved(account_of(request)))
    except PlanningError as refusal:
        context["waits"] = str(refusal)
    else:
        days = sorted(needed.values())
        context |= {
            "people": len(days),
            "late": sum(day < asked.first for day in days),
            "in_span": sum(asked.first <= day <= asked.last for day in days),
            "later": sum(day > asked.last for day in days),
            "minutes": asked.minutes,
            "has_teaching": Teaching.objects.exists(),
        }
    return render(request, "planning/effect.html", context)


def _plan(public_id: str) -> Plan:
    found: Plan = get_object_or_404(Plan.objects.select_related("module", "account"), public_id=public_id)
    return found


def plan(request: HttpRequest, public_id: str) -> HttpResponse:
    """One plan: how far it is; then its sessions on the week, what it comes to, who is left out and what each wish costs."""
    found = _plan(public_id)
    if request.GET.get("part") == "state":
        return render(request, "planning/state.html", {"plan": found})
    every = list(found.sessions.select_related("room__venue", "instructor", "session__room"))
    new_ones = [row for row in every if row.room_id is not None]
    if request.GET.get("part") == "costs":
        return render(request, "planning/costs.html", _costs(found, new_ones))
    kept = [row for row in new_ones if not row.is_out]
    weeks = sorted({row.day - timedelta(days=row.day.weekday()) for row in every})
    week = _week(request, weeks)
    on_week = [row for row in every if week and week <= row.day < week + timedelta(days=7)]
    late_without = {
        one for row in showing.session_rows(found, [r for r in every if r.is_out]) for one in row.late_without
    }
    left = page_of(
        request, found.left_out, [("Who", ""), ("Needs it by", ""), ("Sits on", ""), ("Why", "")], per_page=20
    )
    context = {
        "plan": found,
        "weeks": [(one, sum(one <= row.day < one + timedelta(days=7) for row in every)) for one in weeks],
        "week": week,
        "picture": draw_week(on_week, week, found.minutes, found.seats) if week else None,
        "rows": showing.session_rows(found, on_week),
        "sessions": len(kept),
        "filled": sum(row.room_id is None for row in every),
        "out": sum(row.is_out for row in every),
        "became_late": len(late_without),
        "bound": showing.bound(found, len(new_ones)),
        "left": left,
        "left_rows": showing.left_out_rows(found, left.rows, clock.today()),
        "troubles": [(row, text) for row in every for text in row.trouble],
        "progress": under_way("plan", found.public_id),
        "here_plans": True,
        **_costs(found, new_ones),
    }
    return render(request, "planning/plan.html", frame(request, **context))


def _costs(found: Plan, new_ones: list[PlanSession]) -> dict[str, Any]:
    said = showing.costs(found, len(new_ones))
    return {"plan": found, "costs": said, "weighing": any(not text for _, text in said)}


def _week(request: HttpRequest, weeks: list[date]) -> date | None:
    asked = request.GET.get("week", "")
    return next((one for one in weeks if one.isoformat() == asked), weeks[0] if weeks else None)


@require_POST
def change(request: HttpRequest, public_id: str) -> HttpResponse:
    """Take a session out (`out`) or put it back (`back`); take the plan over, or back (`act`)."""
    found = _plan(public_id)
    address = reverse("planning:plan", args=[found.public_id])

    def act() -> str:
        by = account_of(request)
        for name, is_out in (("out", True), ("back", False)):
            if key := request.POST.get(name):
                row = get_object_or_404(found.sessions, pk=key if key.isdigit() else 0)
                actions.set_out(row=row, is_out=is_out, by=by)
                return f"{address}?week={row.day - timedelta(days=row.day.weekday())}"
        if request.POST.get("act") == "return":
            actions.return_plan(plan=found, by=by)
            toasts.say(request, "The plan is being taken back.")
        else:
            with undoing.watched() as watched:
                count = actions.take_over(plan=found, by=by)
            said = "1 session is" if count == 1 else f"{count} sessions are"
            toasts.say(request, f"{said} being planned and their people booked.", act=watched.act)
        return address

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(address)
