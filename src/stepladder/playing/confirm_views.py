"""What people say that they have done, for who confirms it."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.journal import undoing
from stepladder.playing.linked import confirm_said, said_to_be_done
from stepladder.web import toasts
from stepladder.web.tables import page_of

HEADS = [("Who", ""), ("What", ""), ("Course", ""), ("Said", "")]


def to_confirm(request: HttpRequest) -> HttpResponse:
    """The list of what waits for one's word."""
    return render(request, "playing/to_confirm.html", {"page": page_of(request, said_to_be_done(request.user), HEADS)})


@require_POST
def confirm(request: HttpRequest) -> HttpResponse:
    """The ticked ones are done."""
    chosen = said_to_be_done(request.user).filter(public_id__in=request.POST.getlist("chosen"))
    with undoing.watched() as watched:
        count = confirm_said(attempts=list(chosen), by=account_of(request))
    if count:
        toasts.say(request, f"{count} confirmed. They count from the day that each was said.", act=watched.act)
    else:
        toasts.trouble(request, "Nothing was confirmed. Tick what is done; nobody confirms their own.")
    return redirect("playing:to_confirm")
