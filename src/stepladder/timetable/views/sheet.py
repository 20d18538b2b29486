"""A session's sheet: who is in it, who waits, and filling it from who still needs it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.journal.queries import history
from stepladder.people.models import Person
from stepladder.timetable import actions, queries
from stepladder.timetable.errors import SessionError
from stepladder.timetable.models import Booking, Session
from stepladder.timetable.occupancy import clash_lines
from stepladder.timetable.views.pages import act, frame, one
from stepladder.web import margin, toasts
from stepladder.web.onwards import asked_address
from stepladder.web.templatetags.web import day


def session(request: HttpRequest, public_id: str) -> HttpResponse:
    """When and where, who has a seat, who waits."""
    found = one(request, public_id)
    row = queries.one_row(found)
    context: dict[str, Any] = {
        "row": row,
        "session": found,
        "seats": queries.seats(found, request.user),
        "waiting": queries.waiting_list(found, request.user),
        "clashes": clash_lines(queries.clashes_of(row)),
        "needing": len(queries.needing(found.module)) if row.is_open else 0,
        "others": queries.next_with_room(found, count=4),
        "may_fill": bool(policy.may(request.user, "fill sessions")) and not row.has_begun,
        "may_take": bool(policy.may(request.user, "take attendance", found)),
        "verbs": margin.verb_links("session", request, found),
        "history": history("session", found.public_id),
    }
    return render(request, "timetable/session.html", frame(request, **context))


def book(request: HttpRequest, public_id: str) -> HttpResponse:
    """Who still needs it, the soonest first: those ticked get the seats, the rest of them wait."""
    found = one(request, public_id)
    policy.require(request.user, "fill sessions")
    row = queries.one_row(found)
    if request.method == "POST":
        return _book(request, row)
    people, count = queries.candidates(row, request.user)
    context = {"row": row, "session": found, "people": people, "count": count, "chosen": ()}
    return render(request, "timetable/book.html", frame(request, **context))


def _book(request: HttpRequest, row: queries.SessionRow) -> HttpResponse:
    wanted = request.POST.getlist("chosen")
    shown = policy.visible(request.user, "book seats", Person.objects.filter(public_id__in=wanted))
    by_id = {person.public_id: person for person in shown}
    people = [by_id[key] for key in dict.fromkeys(wanted) if key in by_id]
    sheet = reverse("timetable:session", args=[row.session.public_id])
    if not people:
        toasts.trouble(request, "Nobody is ticked, so nobody was booked. Tick those who shall come.")
        return redirect("timetable:book", public_id=row.session.public_id)
    may_wait = bool(request.POST.get("may_wait"))
    try:
        return act(
            request,
            lambda: actions.book_many(session=row.session, people=people, by=account_of(request), may_wait=may_wait),
            _said,
            lambda done: sheet,
        )
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(sheet)


def _said(done: actions.Seated) -> str:
    text = f"{len(done.booked)} booked"
    if done.waiting:
        text += f", {len(done.waiting)} wait"
    over = f" Passed over: {'; '.join(done.passed_over[:4])}{'…' if len(done.passed_over) > 4 else ''}."
    return f"{text}; each was told.{over if done.passed_over else ''}"


@require_POST
def release(request: HttpRequest, public_id: str) -> HttpResponse:
    """Free somebody's seat, or take them off the waiting list; `next` is the page to go back to, else the session."""
    found, person = one(request, public_id), _person(request)
    return _act_on_seat(
        request,
        found,
        lambda: actions.cancel_seat(booking=_booking(found, person), by=account_of(request)),
        f"{person.name} no longer has a seat.",
    )


@require_POST
def exchange(request: HttpRequest, public_id: str) -> HttpResponse:
    """Somebody's seat given back for one in another session of the same (`to`)."""
    found, person = one(request, public_id), _person(request)
    to = one(request, request.POST.get("to", ""))
    return _act_on_seat(
        request,
        found,
        lambda: actions.change_seat(booking=_booking(found, person), to=to, by=account_of(request)),
        f"{person.name} has a seat on {day(queries.one_row(to).first_day)} instead.",
    )


def _person(request: HttpRequest) -> Person:
    shown = policy.visible(request.user, "book seats", Person.objects.all())
    return get_object_or_404(shown, public_id=request.POST.get("person", ""))


def _booking(session: Session, person: Person) -> Booking:
    """Their booking; one that was never made where there is none, which the action refuses in words."""
    return Booking.objects.known_now().filter(session=session, person=person).first() or Booking(
        session=session, person=person
    )


def _act_on_seat(request: HttpRequest, session: Session, do: Callable[[], object], done_text: str) -> HttpResponse:
    back = asked_address(request, request.POST.get("next", "")) or reverse(
        "timetable:session", args=[session.public_id]
    )
    try:
        return act(request, do, lambda _: done_text, lambda _: back)
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(back)
