"""Planning a session, moving it, cancelling it; and the rooms there are."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from itertools import count
from typing import Any, TypeVar

from django import forms
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import render
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.core.days import DayError, day_of
from stepladder.core.numbers import whole_number
from stepladder.library.models import Module
from stepladder.timetable import actions, kind, queries
from stepladder.timetable.errors import Clashing, SessionError
from stepladder.timetable.forms import (
    CancelForm,
    DetailsForm,
    PlaceForm,
    PlanForm,
    RoomForm,
    SeatsForm,
    meeting_forms,
    plans_of,
)
from stepladder.timetable.models import Meeting, Room, Session
from stepladder.timetable.views.pages import act, add_refusal, frame, one, rehearsed
from stepladder.web.templatetags.web import day as written

Refusal = (SessionError, DayError)
Done = TypeVar("Done")


def _sheet(session: Session) -> str:
    return reverse("timetable:session", args=[session.public_id])


def _asked_meeting(asked: QueryDict, minutes: int) -> list[dict[str, Any]]:
    """The meeting that was drawn in the calendar, or asked for by a link."""
    length = asked.get("minutes", "")
    return [
        {
            "day": asked.get("day", ""),
            "start": asked.get("start", ""),
            "minutes": whole_number(length) or minutes,
        }
    ]


def _like(other: Session) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """The form filled in like another session, and its meetings: in the first week to come in which it is not held there."""
    first = {
        "module": other.module.public_id,
        "room": other.room.public_id if other.room else "",
        "capacity": other.capacity,
        **_details_of(other),
    }
    meetings = _meetings_now(other)
    begins = min(meeting["day"] for meeting in meetings)
    zone, there = clock.zone(), {"session__room": other.room, "session__module": other.module}
    held = Meeting.objects.filter(session__state=Session.State.PLANNED, starts_at__gte=clock.now(), **there)
    days = {day_of(at, zone) for at in held.values_list("starts_at", flat=True)}
    first_week = max(1, (clock.today() - begins).days // 7 + 1)
    on = next(w for n in count(first_week) if begins + (w := timedelta(weeks=n)) not in days)
    first["last_booking_day"] = other.last_booking_day + on if other.last_booking_day else None
    return first, [{**meeting, "day": meeting["day"] + on} for meeting in meetings]


def _first_of_new(request: HttpRequest) -> tuple[dict[str, Any], list[dict[str, Any]]]:
    """What the form of a new session begins with: like another, or as it was drawn in the calendar."""
    asked = request.GET
    if "like" in asked:
        return _like(one(request, asked["like"], "plan sessions"))
    module = Module.objects.filter(public_id=asked.get("module", ""), kind=kind.KIND.name).first()
    room = Room.objects.filter(public_id=asked.get("room", "")).first()
    first = {
        "module": module.public_id if module else "",
        "room": room.public_id if room else "",
        "capacity": room.seats if room else 12,
    }
    return first, _asked_meeting(asked, module.minutes if module else 120)


def new(request: HttpRequest) -> HttpResponse:
    """Plan a session, or a series. Asked for its effect, it is rehearsed: clashes are said before anything is saved."""
    first, to_meet = _first_of_new(request)
    form = PlanForm(request.POST or None, initial=first)
    meetings = meeting_forms(request.POST, to_meet)
    is_valid = form.is_bound and all([form.is_valid(), meetings.is_valid()])

    def plan() -> list[Session]:
        asked = {**form.cleaned_data, "meetings": plans_of(meetings), "by": account_of(request)}
        if asked["every"]:
            return actions.plan_series(**asked)
        del asked["every"], asked["times"]
        return [actions.plan_session(**asked)]

    if request.POST.get("effect"):
        return render(
            request, "timetable/effect.html", _effect(form, meetings, plan if is_valid else None, _days_of_series)
        )
    if is_valid:
        try:
            return act(request, plan, _said_of_plan, lambda made: _sheet(made[0]))
        except Refusal as refusal:
            _refuse(form, meetings, refusal)
    context = {
        "form": form,
        "meetings": meetings,
        "title": "Plan a session",
        "verb": "Plan it",
        "back": reverse("timetable:week"),
    }
    return render(request, "timetable/plan.html", frame(request, **context), status=422 if form.is_bound else 200)


def _said_of_plan(made: list[Session]) -> str:
    times = f" {len(made)} times" if len(made) > 1 else ""
    return f"“{made[0].module.title}” is planned{times}."


def _refuse(form: forms.Form, meetings: Any, refusal: Exception) -> None:
    """A refusal where it was made: by the meetings, by a field, or above the form."""
    if isinstance(refusal, DayError) or getattr(refusal, "field", "") == "meetings":
        meetings._non_form_errors = meetings.error_class([str(refusal)])
    elif isinstance(refusal, SessionError):
        add_refusal(form, refusal)


def _effect(
    form: forms.Form, meetings: Any, do: Callable[[], Done] | None, told: Callable[[Done], dict[str, Any]]
) -> dict[str, Any]:
    """What planning it would do: what clashes, who needs it, and what else is offered."""
    context: dict[str, Any] = {}
    if do is None:
        missing = [_missing(form, name, str(text)) for name, errors in form.errors.items() for text in errors]
        missing += [text for errors in meetings.errors for of_form in errors.values() for text in of_form]
        context["waits"] = next(iter([*missing, *meetings.non_form_errors()]), "Fill in the form.")
    else:
        try:
            lines = rehearsed(lambda: told(do()))
        except Clashing as refusal:
            context["clashes"] = refusal.lines
        except Refusal as refusal:
            context["refused"] = str(refusal)
        else:
            context |= lines
            context["fits"] = True
    module = form.cleaned_data.get("module") if form.is_bound and hasattr(form, "cleaned_data") else None
    return context | (_needed(module) if module else {})


def _days_of_series(planned: list[Session]) -> dict[str, Any]:
    """The days of a series, read before they are rolled back; none where it takes place once."""
    days = [day_of(session.meetings.all()[0].starts_at, clock.zone()) for session in planned]
    return {"days": days if len(days) > 1 else []}


def _missing(form: forms.Form, name: str, text: str) -> str:
    """What is missing, or wrong, with the name of its field."""
    label = form.fields[name].label if name in form.fields else ""
    return f"{label}: {text}" if label else text


def _needed(module: Module) -> dict[str, Any]:
    needing = queries.needing(module)
    soon = clock.today() + timedelta(days=60)
    to_come = queries.session_rows(queries.with_all(queries.find_sessions(Session.objects.filter(module=module))))
    return {
        "module": module,
        "needing": len(needing),
        "soon": sum(day <= soon for _, day in needing),
        "soon_day": soon,
        "others": [row for row in to_come if row.is_open],
        "free": sum(row.free for row in to_come if row.is_open),
    }


def _details_of(session: Session) -> dict[str, Any]:
    return {
        "instructors": list(session.instructors.order_by("family_name", "given_name")),
        "language": session.language,
        "last_booking_day": session.last_booking_day,
        "order": session.order,
        "note": session.note,
    }


def _meetings_now(session: Session) -> list[dict[str, Any]]:
    zone = clock.zone()
    return [
        {
            "day": m.starts_at.astimezone(zone).date(),
            "start": m.starts_at.astimezone(zone).time(),
            "minutes": (m.ends_at - m.starts_at) // timedelta(minutes=1),
        }
        for m in session.meetings.all()
    ]


def _moved(now: list[dict[str, Any]], asked: QueryDict) -> list[dict[str, Any]]:
    """The meetings as they were dragged: the first to the day and hour asked for, the others by as many days."""
    form = meeting_forms(
        {"meetings-TOTAL_FORMS": "1", "meetings-INITIAL_FORMS": "0"}
        | {f"meetings-0-{name}": asked.get(name, "") for name in ("day", "start")}
        | {"meetings-0-minutes": str(now[0]["minutes"])}
    )
    plans = plans_of(form) if form.is_valid() else []
    if not plans:
        return now
    by = plans[0].day - now[0]["day"]
    moved = [{**meeting, "day": meeting["day"] + by} for meeting in now]
    return [{**moved[0], "start": plans[0].start}, *moved[1:]]


def move(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another time or place: bookings stay, clashes are checked anew, everybody is told."""
    session = one(request, public_id, "plan sessions")
    asked = request.GET
    room = Room.objects.filter(public_id=asked.get("room", "")).first() or session.room
    form = PlaceForm(
        request.POST or None,
        initial={"room": room.public_id if room else "", "live_address": session.join_address},
    )
    meetings = meeting_forms(request.POST, _moved(_meetings_now(session), asked))
    is_valid = form.is_bound and all([form.is_valid(), meetings.is_valid()])

    def reschedule() -> list[str]:
        plans, by = plans_of(meetings), account_of(request)
        return actions.reschedule(session=session, meetings=plans, by=by, **form.cleaned_data)

    if request.POST.get("effect"):
        effect = _effect(form, meetings, reschedule if is_valid else None, lambda lines: {"learners": lines})
        return render(request, "timetable/effect.html", effect)
    if is_valid:
        try:
            return act(request, reschedule, _said_of_move, lambda lines: _sheet(session))
        except Refusal as refusal:
            _refuse(form, meetings, refusal)
    context = {
        "form": form,
        "meetings": meetings,
        "session": session,
        "row": queries.one_row(session),
        "title": "Another time or place",
        "verb": "Move it and tell everybody",
        "back": _sheet(session),
    }
    return render(request, "timetable/plan.html", frame(request, **context), status=422 if form.is_bound else 200)


def _said_of_move(lines: list[str]) -> str:
    if not lines:
        return "It is moved, and everybody was told."
    return (
        f"It is moved, and everybody was told. {len(lines)} who have a seat are elsewhere then: {' '.join(lines[:3])}"
    )


def details(request: HttpRequest, public_id: str) -> HttpResponse:
    """Who teaches, the language, the last day to book, the order of the waiting list, the note."""
    session = one(request, public_id, "plan sessions")
    form = DetailsForm(request.POST or None, initial=_details_of(session))

    def change() -> None:
        actions.change_details(session=session, by=account_of(request), **form.cleaned_data)

    if form.is_bound and form.is_valid():
        try:
            return act(request, change, lambda done: "It is changed.", lambda done: _sheet(session))
        except Refusal as refusal:
            _refuse(form, meeting_forms(None), refusal)
    context = {
        "form": form,
        "session": session,
        "title": "Who teaches, and more",
        "verb": "Save it",
        "back": _sheet(session),
    }
    return render(request, "timetable/plan.html", frame(request, **context), status=422 if form.errors else 200)


def seats(request: HttpRequest, public_id: str) -> HttpResponse:
    """How many seats there are: more go to who waits, never fewer than are booked."""
    session = one(request, public_id, "plan sessions")
    form = SeatsForm(request.POST or None, initial={"capacity": session.capacity})

    def change() -> None:
        actions.set_capacity(session=session, capacity=form.cleaned_data["capacity"], by=account_of(request))

    if form.is_bound and form.is_valid():
        try:
            return act(request, change, lambda done: "The seats are changed.", lambda done: _sheet(session))
        except Refusal as refusal:
            _refuse(form, meeting_forms(None), refusal)
    context = {"form": form, "session": session, "title": "Seats", "verb": "Save it", "back": _sheet(session)}
    return render(request, "timetable/plan.html", frame(request, **context), status=422 if form.errors else 200)


def cancel(request: HttpRequest, public_id: str) -> HttpResponse:
    """It does not take place: the next sessions with room are offered for those in it."""
    session = one(request, public_id, "plan sessions")
    row = queries.one_row(session)
    others = queries.next_with_room(session) if row.booked or row.waiting else []
    choices = [
        (r.session.public_id, f"goes to {written(r.first_day)}, {r.session.place}: {r.free} free") for r in others
    ]
    form = CancelForm(request.POST or None, choices=choices, initial={"move_to": choices[0][0] if choices else ""})

    def do() -> actions.Moved:
        to = next((r.session for r in others if r.session.public_id == form.cleaned_data["move_to"]), None)
        return actions.cancel_session(
            session=session, because=form.cleaned_data.get("because", ""), by=account_of(request), move_to=to
        )

    if request.POST.get("effect"):
        # What it does is told before one has written why.
        form.errors.pop("because", None)
        context = {"waits": "Choose where they go."} if form.errors else _cancelling(do)
        return render(request, "timetable/cancelling.html", context)
    if form.is_bound and form.is_valid():
        try:
            return act(
                request, do, lambda found: "It is cancelled, and everybody was told.", lambda found: _sheet(session)
            )
        except Refusal as refusal:
            _refuse(form, meeting_forms(None), refusal)
    context = {
        "form": form,
        "session": session,
        "row": row,
        "title": "Cancel the session",
        "verb": "Cancel it and tell everybody",
        "back": _sheet(session),
        "cancels": True,
    }
    return render(request, "timetable/plan.html", frame(request, **context), status=422 if form.errors else 200)


def _cancelling(do: Callable[[], actions.Moved]) -> dict[str, Any]:
    try:
        return {"moved": rehearsed(do)}
    except Refusal as refusal:
        return {"refused": str(refusal)}


def rooms(request: HttpRequest) -> HttpResponse:
    """The rooms there are, and one more."""
    form = RoomForm(request.POST or None)

    def add() -> Room:
        return actions.add_room(by=account_of(request), **form.cleaned_data)

    if form.is_bound and form.is_valid():
        try:
            return act(request, add, lambda room: f"{room} is there.", lambda room: reverse("timetable:rooms"))
        except SessionError as refusal:
            add_refusal(form, refusal)
    context = {"form": form, "here_rooms": True}
    return render(request, "timetable/rooms.html", frame(request, **context), status=422 if form.errors else 200)
