"""The meeting room as one joins it."""

from __future__ import annotations

from typing import Any

from django.core.exceptions import PermissionDenied
from django.db.models import Q
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.playing.media import ranged
from stepladder.standins import meeting as service
from stepladder.timetable import actions, queries
from stepladder.timetable.errors import SessionError
from stepladder.timetable.models import Booking, Presence, Session
from stepladder.timetable.permissions import offered_to
from stepladder.web import toasts


def _session(request: HttpRequest, public_id: str) -> Session:
    """A session live online that the account may know of."""
    live = Session.objects.filter(room__isnull=True).select_related("module")
    person = person_of(request.user)
    offered = offered_to(person) if person else Session.objects.none()
    allowed = policy.visible(request.user, "take attendance", Session.objects.all())
    found = live.filter(Q(pk__in=allowed.values("pk")) | Q(pk__in=offered.values("pk")))
    return get_object_or_404(found, public_id=public_id)


def meeting(request: HttpRequest, public_id: str) -> HttpResponse:
    """Who is in the room now; the way in and out."""
    session = _session(request, public_id)
    person = person_of(request.user)
    inside = Presence.objects.filter(session=session, left_at__isnull=True, source=Presence.Source.LIVE)
    people = [one.person for one in inside.select_related("person")]
    context: dict[str, Any] = {
        "session": session,
        "row": queries.one_row(session),
        "person": person,
        "people": people,
        "is_inside": person in people,
        "teaches": bool(policy.may(request.user, "take attendance", session)),
        "has_recording": service.has_recording(session),
    }
    return render(request, "standins/meeting.html", context)


def _person(request: HttpRequest) -> Person:
    person = person_of(request.user)
    if person is None:
        raise Http404
    return person


@require_POST
def join(request: HttpRequest, public_id: str) -> HttpResponse:
    session = _session(request, public_id)
    try:
        actions.join_online(session=session, person=_person(request), by=account_of(request))
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("standins:meeting", public_id=public_id)


@require_POST
def leave(request: HttpRequest, public_id: str) -> HttpResponse:
    session = _session(request, public_id)
    actions.leave_online(session=session, person=_person(request), by=account_of(request))
    return redirect("standins:meeting", public_id=public_id)


@require_POST
def hand_over(request: HttpRequest, public_id: str) -> HttpResponse:
    """The room is closed and its recording handed to the session."""
    session = _session(request, public_id)
    policy.require(request.user, "take attendance", session)
    service.make_recording(session)
    address = reverse("standins:recording", args=[public_id])
    actions.keep_recording(session=session, address=address, by=account_of(request))
    toasts.say(request, "The recording is with the session.")
    return redirect("standins:meeting", public_id=public_id)


def recording(request: HttpRequest, public_id: str) -> HttpResponseBase:
    """The film; for whoever may know of the session."""
    session = _session(request, public_id)
    path = service.recording_file(session)
    if not path.exists():
        raise Http404
    bookings = Booking.objects.known_now().filter(
        session=session, person=person_of(request.user), state__in=Booking.SEATED
    )
    if not policy.may(request.user, "take attendance", session) and not bookings.exists():
        raise PermissionDenied("Only who had a seat sees the recording.")
    return ranged(request, path, "video/webm", f"{session.public_id}-{int(path.stat().st_mtime)}")
