"""Taking attendance: the roster on a tablet, the sheet to sign on paper, checking in, and signing off."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import segno
from django.conf import settings
from django.core import signing
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.learning.errors import LearningError
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.timetable import actions, queries
from stepladder.timetable.errors import SessionError
from stepladder.timetable.models import Session
from stepladder.timetable.views.pages import act, frame, one
from stepladder.web import toasts

SALT = "stepladder.timetable.check-in"


def roster(request: HttpRequest, public_id: str) -> HttpResponse:
    """Everybody with a seat, and how many minutes each was there in each meeting."""
    session = one(request, public_id, "take attendance")
    context = _roster(session)
    noted = _signed_people(session, request.GET.get("noted", ""))
    # What was noted in one act can be taken back in one.
    context["noted"] = {"sign": request.GET["noted"], "count": len(noted)} if noted else None
    return render(request, "timetable/roster.html", frame(request, **context))


def _sign_people(session: Session, people: Sequence[Person]) -> str:
    return signing.dumps([session.pk, *(person.pk for person in people)], salt=SALT, compress=True)


def _signed_people(session: Session, sign: str) -> list[int]:
    """The people of a sign that was given out for this session; none of any other."""
    try:
        key, *people = signing.loads(sign, salt=SALT) if sign else [0]
    except signing.BadSignature:
        return []
    return people if key == session.pk else []


def _roster(session: Session) -> dict[str, Any]:
    row = queries.one_row(session)
    people = queries.roster(row)
    return {
        "row": row,
        "session": session,
        "people": people,
        "open": sum(not one.is_noted for one in people),
        "is_held": session.state == Session.State.HELD,
    }


@require_POST
def keep(request: HttpRequest, public_id: str) -> HttpResponse:
    """The minutes of one person, as the roster was changed: `person`, and `m-<meeting>` for each meeting."""
    session = one(request, public_id, "take attendance")
    person = get_object_or_404(Person, public_id=request.POST.get("person", ""))
    minutes = {}
    meetings = list(session.meetings.all())
    sent_minutes = [request.POST.get(f"m-{meeting.pk}", "").strip() for meeting in meetings]
    # All of them emptied: nothing is noted any more.
    for meeting, sent in zip(meetings, sent_minutes, strict=True) if any(sent_minutes) else ():
        length = whole_number(sent or "0")
        if length is None:
            return _row(request, session, person, f"“{sent[:12]}” is no number of minutes. Nothing was changed.")
        minutes[meeting] = min(length, 100_000)
    try:
        actions.keep_minutes(session=session, marks={person: minutes}, by=account_of(request))
    except SessionError as refusal:
        return _row(request, session, person, str(refusal))
    return _row(request, session, person, "")


def _row(request: HttpRequest, session: Session, person: Person, trouble: str) -> HttpResponse:
    if not request.headers.get("HX-Request"):
        if trouble:
            toasts.trouble(request, trouble)
        return redirect("timetable:roster", public_id=session.public_id)
    context = _roster(session)
    line = next((line for line in context["people"] if line.person == person), None)
    context |= {"line": line, "trouble": trouble, "person": person, "at": clock.now()}
    return render(request, "timetable/roster_row.html", context, status=422 if trouble else 200)


@require_POST
def note_rest(request: HttpRequest, public_id: str) -> HttpResponse:
    """All of whom nothing is noted were there the whole time; `undo=<sign>`: nothing is noted of these after all."""
    session = one(request, public_id, "take attendance")
    undone, by = _signed_people(session, request.POST.get("undo", "")), account_of(request)
    whole = {
        meeting: int((meeting.ends_at - meeting.starts_at).total_seconds() // 60) for meeting in session.meetings.all()
    }
    rest = [line.person for line in _roster(session)["people"] if not line.is_noted]
    marks = {person: {} for person in Person.objects.filter(pk__in=undone)} if undone else dict.fromkeys(rest, whole)
    try:
        actions.keep_minutes(session=session, marks=marks, by=by)
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("timetable:roster", public_id=public_id)
    address = reverse("timetable:roster", args=[public_id])
    if undone:
        return redirect(address)
    sign = _sign_people(session, rest)
    return redirect(f"{address}?{urlencode({'noted': sign})}" if rest else address)


def door(request: HttpRequest, public_id: str) -> HttpResponse:
    """Who came without a seat, found by name or number as one types."""
    session = one(request, public_id, "take attendance")
    text = request.GET.get("who", "")
    context = {"session": session, "text": text.strip(), "people": queries.at_the_door(session, text)}
    return render(request, "timetable/door.html", context)


@require_POST
def admit(request: HttpRequest, public_id: str) -> HttpResponse:
    """A seat for somebody who came without one: one of those found, or the one whom a name or number means."""
    session = one(request, public_id, "take attendance")
    who = request.POST.get("who", "").strip()
    found = queries.at_the_door(session, who)
    exact = [person for person in found if person.employee_number.casefold() == who.casefold()]
    chosen = Person.objects.filter(public_id=request.POST.get("person", ""))
    person = chosen.first() or next(iter(exact), found[0] if len(found) == 1 else None)
    if person is None:
        trouble = f"Several people are found by “{who[:40]}”. Choose one." if found else ""
        toasts.trouble(request, trouble or f"Nobody without a seat here is found by “{who[:40]}”, by name or number.")
        return redirect("timetable:roster", public_id=public_id)
    try:
        return act(
            request,
            lambda: actions.admit(session=session, person=person, by=account_of(request)),
            lambda done: f"{person.name} has a seat.",
            lambda done: f"{reverse('timetable:roster', args=[public_id])}#r-{person.public_id}",
        )
    except SessionError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("timetable:roster", public_id=public_id)


@require_POST
def sign_off(request: HttpRequest, public_id: str) -> HttpResponse:
    """What the roster comes to, for good: steps are done, and records say so."""
    session = one(request, public_id, "take attendance")
    try:
        return act(
            request,
            lambda: actions.sign_off(session=session, by=account_of(request)),
            lambda counts: (
                "Signed off: " + ", ".join(f"{count} {word}" for word, count in counts.items() if count) + "."
            ),
            lambda counts: reverse("timetable:session", args=[public_id]),
        )
    except (SessionError, LearningError) as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("timetable:roster", public_id=public_id)


def sign_in_sheet(request: HttpRequest, public_id: str) -> HttpResponse:
    """The sheet to print and sign, with the sign by which one checks in on one's own telephone."""
    session = one(request, public_id, "take attendance")
    address = reverse("timetable:check_in", args=[sign_of(session)])
    code = segno.make(f"{settings.PUBLIC_ADDRESS}{address}", micro=False, error="m")
    context = {
        "row": queries.one_row(session),
        "session": session,
        "people": queries.roster(queries.one_row(session)),
        "spare": range(4),
        "code": {"rows": [_dark(line) for line in code.matrix], "size": len(code.matrix) + 8},
        "address": f"{settings.PUBLIC_ADDRESS}{address}",
    }
    return render(request, "timetable/sign_in_sheet.html", frame(request, **context))


def sign_of(session: Session) -> str:
    """What only the sheet of a session says; the same on every print of it."""
    return signing.Signer(salt=SALT).sign_object(session.pk)


def _dark(line: Any) -> list[int]:
    """Where a line of the sign is dark, with its quiet edge of four."""
    return [place + 4 for place, dark in enumerate(line) if dark]


def check_in(request: HttpRequest, token: str) -> HttpResponse:
    """I am here: for whoever has a seat, by the sign on the sheet in the room."""
    try:
        key = signing.Signer(salt=SALT).unsign_object(token)
    except signing.BadSignature:
        raise PermissionDenied("This is not the sign of a session. Scan the one on the sheet in the room.") from None
    session = get_object_or_404(Session.objects.select_related("module", "room__venue"), pk=key)
    person = person_of(request.user)
    if person is None:
        raise Http404
    context: dict[str, Any] = {"session": session, "row": queries.one_row(session), "person": person}
    status = 200
    if request.method == "POST":
        try:
            presence = actions.check_in(session=session, person=person, by=account_of(request))
            context["presence"] = presence
        except SessionError as refusal:
            context["refused"], status = str(refusal), 422
    return render(request, "timetable/check_in.html", context, status=status)
