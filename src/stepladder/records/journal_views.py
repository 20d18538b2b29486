"""The pages of the Journal sheet, and taking back."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.journal.chain import head
from stepladder.journal.models import Entry
from stepladder.journal.undoing import CannotTakeBack
from stepladder.people.permissions import people_seen
from stepladder.records import journal as sheet
from stepladder.records import queries
from stepladder.records.forms import DAY_WORDS, read_optional_day
from stepladder.web import toasts
from stepladder.web.onwards import asked_address
from stepladder.web.tables import page_of

HEADS = [("When", ""), ("Who", ""), ("What", ""), ("", "")]


def journal(request: HttpRequest) -> HttpResponse:
    """Entries by person, object, verb and day."""
    first, error_first = read_optional_day(request.GET, "from")
    last, error_last = read_optional_day(request.GET, "to")
    asked = {name: request.GET.get(name, "").strip() for name in ("actor", "about", "verb")}
    page = page_of(request, sheet.entries(first=first, last=last, **asked), HEADS)
    context = {
        "page": page,
        "lines": sheet.lines(page.rows),
        "asked": asked,
        "verbs": sheet.verb_choices(),
        "errors": [error for error in (error_first, error_last) if error],
        "day_words": DAY_WORDS,
        "head": head(),
        "late": queries.late_count(clock.today(), people_seen(request.user, "open records")),
    }
    return render(request, "records/journal.html", context, status=422 if context["errors"] else 200)


def entry(request: HttpRequest, number: int) -> HttpResponse:
    """One entry, what was before and after, and the way back."""
    found = get_object_or_404(Entry, number=number)
    context = {
        "sheet": sheet.entry_sheet(found, request.user),
        "entry": found,
        "late": queries.late_count(clock.today(), people_seen(request.user, "open records")),
    }
    return render(request, "records/entry.html", context)


@require_POST
def take_back(request: HttpRequest, number: int) -> HttpResponse:
    """Take an act back, from its toast or from the Journal sheet."""
    found = get_object_or_404(Entry, number=number)
    try:
        sheet.take_back(entry=found, by=account_of(request))
    except CannotTakeBack as refusal:
        toasts.trouble(request, str(refusal))
    else:
        toasts.say(request, "It is taken back.")
    return redirect(asked_address(request, request.POST.get("next", "")) or "home")
