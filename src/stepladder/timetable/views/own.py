"""A learner's own sessions: booking, changing, giving back; and the calendar that follows them."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.timetable import actions, queries
from stepladder.timetable.errors import SessionError
from stepladder.timetable.invitations import feed as feed_text
from stepladder.timetable.models import Booking, CalendarKey, Session
from stepladder.timetable.permissions import offered_to
from stepladder.timetable.views.pages import act
from stepladder.web import toasts
from stepladder.web.onwards import asked_address


def _me(request: HttpRequest) -> Person:
    person = person_of(request.user)
    if person is None:
        raise Http404("This account is nobody’s among the people here.")
    return person


def _offered(request: HttpRequest, public_id: str) -> Session:
    offered = offered_to(_me(request)).select_related("module", "room__venue").distinct()
    return get_object_or_404(offered, public_id=public_id)


def own(request: HttpRequest) -> HttpResponse:
    """What one attends and teaches, from today on."""
    person = person_of(request.user)
    key = CalendarKey.objects.filter(person=person).first() if person else None
    address = f"{settings.PUBLIC_ADDRESS}{reverse('timetable:feed', args=[key.key])}" if key else ""
    seats = queries.own_seats(person) if person else []
    return render(request, "timetable/own.html", {"person": person, "seats": seats, "feed": address})


def seat(request: HttpRequest, public_id: str) -> HttpResponse:
    """One session as a learner sees it, with what they can do there."""
    session = _offered(request, public_id)
    offer = queries.offers(session.module, _me(request), only=session)[0]
    return render(request, "timetable/seat.html", {"offer": offer, "session": session, "person": _me(request)})


def _on(request: HttpRequest, session: Session) -> str:
    """Where one came from, if that is here; else the session."""
    return asked_address(request, request.POST.get("next", "")) or reverse("timetable:seat", args=[session.public_id])


def _try(request: HttpRequest, session: Session, do: Callable[[], object], done_text: str) -> HttpResponse:
    onwards = _on(request, session)
    try:
        return act(request, do, lambda done: done_text, lambda done: onwards)
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect(onwards)


@require_POST
def take(request: HttpRequest, public_id: str) -> HttpResponse:
    """Book a seat, wait for one (`wait`), or change to this session from another one of the same (`instead`)."""
    session, person, by = _offered(request, public_id), _me(request), account_of(request)
    instead = request.POST.get("instead", "")
    if request.POST.get("wait"):
        text = "You wait for a seat, and are told as soon as one is free."
        return _try(request, session, lambda: actions.join_waiting_list(session=session, person=person, by=by), text)
    if instead:
        old = get_object_or_404(
            Booking.objects.known_now(), session__public_id=instead, session__module=session.module, person=person
        )
        return _try(
            request, session, lambda: actions.change_seat(booking=old, to=session, by=by), "Your seat is changed."
        )
    return _try(request, session, lambda: actions.book_seat(session=session, person=person, by=by), "You have a seat.")


@require_POST
def give_back(request: HttpRequest, public_id: str) -> HttpResponse:
    """Give one's seat back, or no longer wait."""
    session, person, by = _offered(request, public_id), _me(request), account_of(request)
    booking = Booking.objects.known_now().filter(session=session, person=person).first()
    booking = booking or Booking(session=session, person=person)
    return _try(request, session, lambda: actions.cancel_seat(booking=booking, by=by), "You gave it back.")


@require_POST
def renew_feed(request: HttpRequest) -> HttpResponse:
    """A new address for one's calendar; an old one no longer answers."""
    actions.renew_key(person=_me(request), by=account_of(request))
    toasts.say(request, "Your calendar has an address of its own.")
    return redirect("timetable:own")


def feed(request: HttpRequest, key: str) -> HttpResponse:
    """One's own sessions as iCalendar, for whoever knows the secret address."""
    found = get_object_or_404(CalendarKey.objects.select_related("person__account"), key=key)
    account = found.person.account
    if account is not None and not account.is_active:
        raise Http404
    body = feed_text(queries.feed_of(found.person))
    response = HttpResponse(body, content_type="text/calendar; charset=utf-8")
    response["Content-Disposition"] = 'inline; filename="sessions.ics"'
    response["Cache-Control"] = "private, max-age=300"
    return response
