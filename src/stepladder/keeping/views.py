"""For how long names are kept, who is due, and shortening one person to their number."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.core.days import Period, add
from stepladder.keeping import actions, parts
from stepladder.keeping.errors import KeepingError
from stepladder.keeping.forms import ShortenForm, YearsForm
from stepladder.keeping.who import due, due_on, left_on, obstacle
from stepladder.learning.models import Completion
from stepladder.people.models import Person, Placement
from stepladder.timetable.models import Booking
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

# Who becomes due within so many days is shown: there is time to say that somebody's years are too short.
AHEAD = Period(months=3)
HEADS = [("Name", ""), ("Number", ""), ("Last day", ""), ("From", "")]


def keeping(request: HttpRequest) -> HttpResponse:
    """After how many years only a number is kept, and whom that concerns next."""
    ours = organisation()
    form = YearsForm(request.POST or None, initial={"years": ours.keep_years})
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            years = form.cleaned_data["years"]
            actions.set_years(years=years, by=account_of(request))
            toasts.say(
                request,
                f"Names are kept for {years} year{'s' if years != 1 else ''}." if years else "Names are kept for ever.",
            )
            return reverse("keeping:keeping")

        try:
            return act_once(request, act)
        except KeepingError as refusal:
            form.add_error("years", str(refusal))
    years = ours.keep_years
    today = clock.today()
    context: dict[str, Any] = {"form": form, "years": years, "shortened": _shortened()}
    if years is not None:
        rows = due(add(today, AHEAD), years)
        page = page_of(request, rows, HEADS)
        context |= {"page": page, "lines": _lines(list(page.rows)), "now": due(today, years).count()}
    return render(request, "keeping/keeping.html", context, status=422 if form.errors else 200)


def effect(request: HttpRequest) -> HttpResponse:
    """How many people the years of the form would concern today."""
    form = YearsForm(request.POST)
    years = form.cleaned_data["years"] if form.is_valid() else None
    count = due(clock.today(), years).count() if years else None
    return render(request, "keeping/effect.html", {"form": form, "years": years, "count": count})


def _lines(people: list[Person]) -> list[dict[str, Any]]:
    found = []
    for person in people:
        left = left_on(person)
        found.append({"person": person, "left": left, "due": due_on(left) if left else None})
    return found


def _shortened() -> int:
    return Person.objects.filter(shortened_on__isnull=False).count()


def person(request: HttpRequest, public_id: str) -> HttpResponse:
    """What goes when only somebody's number is kept, and what stays; sent, it goes."""
    rows = policy.visible(request.user, "shorten people", Person.objects.select_related("account"))
    found = get_object_or_404(rows, public_id=public_id)
    trouble, form = obstacle(found), ShortenForm(request.POST or None)
    entries = actions.entries_of(found) if not trouble else []
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            actions.keep_number_only(person=found, entries=entries, by=account_of(request))
            toasts.say(request, f"Only the number {found.employee_number} is kept.")
            return reverse("people:person", args=[found.public_id])

        try:
            return act_once(request, act)
        except KeepingError as refusal:
            form.add_error(None, str(refusal))
    context = {
        "person": found,
        "form": form,
        "trouble": trouble,
        "left": left_on(found),
        "goes": [] if trouble else parts.counts(found),
        "entries": len(entries),
        "stays": [
            (
                Completion.objects.filter(person=found).count(),
                "completions, with days, scores and certificate numbers",
            ),
            (Placement.objects.filter(person=found).count(), "placements"),
            (Booking.objects.filter(person=found).count(), "seats in sessions"),
        ],
    }
    return render(request, "keeping/person.html", context, status=422 if form.errors else 200)
