"""A form sent twice acts once."""

from __future__ import annotations

from collections.abc import Callable

from django.db import transaction
from django.http import HttpRequest, HttpResponseRedirect

from stepladder.web.models import SentForm

__all__ = ["act_once"]


def act_once(request: HttpRequest, act: Callable[[], str]) -> HttpResponseRedirect:
    """Run *act*, which returns the address to go on to, unless this very form was taken before; then only go there."""
    token = request.POST.get("once", "")[:40]
    with transaction.atomic():
        sent = SentForm.objects.filter(token=token).first() if token else None
        if sent:
            return HttpResponseRedirect(sent.answer)
        answer = act()
        if token:
            # In the transaction of the act: one that was refused leaves no trace, so its form can be sent again.
            SentForm.objects.create(token=token, answer=answer)
    return HttpResponseRedirect(answer)
