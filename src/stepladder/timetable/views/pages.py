"""What the views of sessions share."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, TypeVar

from django import forms
from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal import undoing
from stepladder.timetable import queries
from stepladder.timetable.errors import SessionError
from stepladder.timetable.index_links import index_links
from stepladder.timetable.models import Room, Session
from stepladder.web import toasts
from stepladder.web.once import act_once

__all__ = ["act", "add_refusal", "frame", "one", "rehearsed", "visible_sessions"]

Done = TypeVar("Done")


def visible_sessions(request: HttpRequest, verb: str = "open sessions") -> Any:
    """The sessions to which the account may do *verb*."""
    return policy.visible(request.user, verb, Session.objects.all())


def one(request: HttpRequest, public_id: str, verb: str = "open sessions") -> Session:
    """The session of an address, if the account may do *verb* to it."""
    found: Session = get_object_or_404(
        visible_sessions(request, verb).select_related("module", "room__venue"), public_id=public_id
    )
    return found


def frame(request: HttpRequest, **more: Any) -> dict[str, Any]:
    """What the index of every page shows: how many wait for what, and the rooms."""
    shown = visible_sessions(request)
    return {
        "shows": [(show, queries.find_sessions(shown, show=show).count()) for show in queries.SHOWS],
        "rooms": Room.objects.select_related("venue__site"),
        "may_plan": policy.may(request.user, "plan sessions"),
        "further": [(link.label, link.address, bool(more.get(link.here))) for link in index_links()],
        **more,
    }


def act(
    request: HttpRequest, do: Callable[[], Done], done_text: Callable[[Done], str], onwards: Callable[[Done], str]
) -> HttpResponse:
    """Do it once, say what was done with the way to take it back, and go on. Raises what *do* raises."""

    def run() -> str:
        with undoing.watched() as watched:
            done = do()
        toasts.say(request, done_text(done), act=watched.act)
        return onwards(done)

    return act_once(request, run)


def rehearsed(do: Callable[[], Done]) -> Done:
    """What an act would return, done and rolled back; nobody is told. Raises what it raises."""
    with transaction.atomic():
        with events.held():
            done = do()
        transaction.set_rollback(True)
    return done


def add_refusal(form: forms.Form, refusal: SessionError) -> None:
    """A refusal beside the field it is about; above the form where that has none."""
    form.add_error(refusal.field if refusal.field in form.fields else None, str(refusal))
