"""What sessions show on the sheets of apps below: the module they run, a person, and the step of a course."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date

from django.http import HttpRequest
from django.urls import reverse

from stepladder import events
from stepladder.accounts import policy
from stepladder.courses.models import Course, Edition, Path
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable import kind, queries
from stepladder.timetable.actions.leaving import give_back_of_leavers
from stepladder.timetable.models import Session
from stepladder.web.margin import Panel, VerbLink
from stepladder.web.templatetags.web import day

__all__ = ["away_section", "booked_notes", "course_sessions", "on_employment", "plan_verb", "sessions_panel"]


def on_employment(event: events.EmploymentChanged, act: events.Act) -> None:
    """Whoever leaves gives their seats back."""
    give_back_of_leavers(frozenset(event.people), act)


def plan_verb(request: HttpRequest, module: Module) -> VerbLink | None:
    """Plan a session of this module."""
    if module.kind != kind.KIND.name or not policy.may(request.user, "plan sessions"):
        return None
    return VerbLink("Plan a session", f"{reverse('timetable:new')}?module={module.public_id}")


def sessions_panel(request: HttpRequest, module: Module) -> Panel | None:
    """The next sessions of a module, and how many still need one."""
    if module.kind != kind.KIND.name:
        return None
    to_come = queries.with_all(queries.find_sessions(Session.objects.filter(module=module)))
    context = {
        "rows": queries.session_rows(to_come[:6]),
        "needing": len(queries.needing(module)),
        "may_open": policy.sees_every(request.user, "open sessions"),
    }
    return Panel("Sessions to come", "timetable/module_panel.html", context)


def course_sessions(request: HttpRequest, course: Course, _: date) -> Panel | None:
    """The next sessions of what a course asks one to attend."""
    modules = Module.objects.filter(
        kind=kind.KIND.name, steps__edition__course=course, steps__edition__state=Edition.State.RELEASED
    )
    if not policy.may(request.user, "open sessions") or not modules.exists():
        return None
    shown = policy.visible(request.user, "open sessions", Session.objects.filter(module__in=modules))
    rows = queries.session_rows(queries.with_all(queries.find_sessions(shown))[:6])
    context = {"rows": rows, "may_plan": policy.may(request.user, "plan sessions"), "modules": list(modules)}
    return Panel("Sessions to come", "timetable/course_sessions.html", context)


def thing_sessions(request: HttpRequest, thing: Course | Path) -> Panel | None:
    """For whoever thinks of taking a course: its sessions to come that still have room."""
    if not isinstance(thing, Course):
        return None
    modules = Module.objects.filter(
        kind=kind.KIND.name, steps__edition__course=thing, steps__edition__state=Edition.State.RELEASED
    )
    rows = queries.session_rows(
        queries.with_all(queries.find_sessions(Session.objects.filter(module__in=modules)))[:12]
    )
    rooms = [row for row in rows if row.free and row.is_open]
    return Panel("Sessions with room", "timetable/thing_sessions.html", {"rows": rooms[:4]}) if rooms else None


def away_section(request: HttpRequest, person: Person, _: date) -> Panel | None:
    """Seats that fall into somebody's leave, to be given back or changed there."""
    if not policy.may(request.user, "book seats", person):
        return None
    seats = queries.seats_while_away(person)
    if not seats:
        return None
    return Panel("Seats while away", "timetable/away_seats.html", {"seats": seats, "person": person})


def booked_notes(people: Sequence[int], _: date) -> Mapping[int, str]:
    """The session that each has a seat in next."""
    return {
        person: f"booked {day(seat.starts_on)}: {seat.session.module.title}"
        for person, seat in queries.next_seats(people).items()
    }
