"""Notices that could not be sent."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.notices import actions, queries
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("To", ""), ("What", ""), ("Made", ""), ("What the mail server said", "")]


def unsent(request: HttpRequest) -> HttpResponse:
    return render(request, "notices/unsent.html", {"page": page_of(request, queries.unsent(), HEADS)})


@require_POST
def send_again(request: HttpRequest) -> HttpResponse:
    """Hand the chosen notices to the queue once more."""

    def act() -> str:
        count = actions.send_again(public_ids=request.POST.getlist("row"), by=account_of(request))
        toasts.say(request, f"{count} notice{'s' if count != 1 else ''} on the way again.")
        return reverse("notices:unsent")

    return act_once(request, act)
