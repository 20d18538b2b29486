"""Training from outside and from before: recorded, asked for, looked at."""

from __future__ import annotations

from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.journal import undoing
from stepladder.library.showing import given_file
from stepladder.outside import actions, queries
from stepladder.outside.actions import OutsideSaid
from stepladder.outside.documents import take_document
from stepladder.outside.forms import DecideForm, OutsideForm
from stepladder.outside.models import OutsideTraining
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.records.frames import plain_frame
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("Who", ""), ("What", ""), ("Done on", ""), ("Given by", ""), ("Asked", "")]


def _said(form: OutsideForm, request: HttpRequest) -> OutsideSaid:
    data, sent = form.cleaned_data, request.FILES.get("document")
    document = take_document(sent.file or sent, sent.name or "document", sent.size or 0) if sent else None
    hours = data["hours"]
    return OutsideSaid(
        data["course"],
        data["title"],
        data["day"],
        data["own_expiry"],
        data["provider"],
        round(hours * 60) if hours else None,
        data["note"],
        document,
        (sent.name or "document") if sent else "",
    )


def record(request: HttpRequest, person: str) -> HttpResponse:
    """Write down what somebody learned elsewhere; it counts at once."""
    found = get_object_or_404(policy.visible(request.user, "change records", Person.objects.all()), public_id=person)
    address = reverse("records:record", args=[found.public_id])
    form = OutsideForm(request.POST or None, request.FILES or None)

    def act() -> str:
        with undoing.watched() as watched:
            made = actions.record_outside(person=found, said=_said(form, request), by=account_of(request))
        toasts.say(request, f"“{made.title}” stands in the record of {found.name}.", act=watched.act)
        return address

    return _form(request, form, act, {"person": found, "back": address, "is_own": False})


def ask(request: HttpRequest) -> HttpResponse:
    """Say what one learned elsewhere."""
    found = person_of(request.user)
    if found is None:
        return redirect("records:own")
    address = reverse("records:own")
    form = OutsideForm(request.POST or None, request.FILES or None)

    def act() -> str:
        made = actions.ask_outside(person=found, said=_said(form, request), by=account_of(request))
        toasts.say(request, f"“{made.title}” waits to be confirmed. You are told when somebody has looked at it.")
        return address

    return _form(request, form, act, {"person": found, "back": address, "is_own": True})


def _form(request: HttpRequest, form: OutsideForm, act: Any, more: dict[str, Any]) -> HttpResponse:
    if form.is_bound and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            of = getattr(refusal, "field", "")
            form.add_error(of if of in form.fields else None, str(refusal))
    template = "outside/own_form.html" if more["is_own"] else "outside/form.html"
    context = {"form": form, **more, **({} if more["is_own"] else plain_frame(request))}
    return render(request, template, context, status=422 if form.errors else 200)


def waiting(request: HttpRequest) -> HttpResponse:
    """What waits to be confirmed, the oldest first."""
    page = page_of(request, queries.to_confirm(request.user), HEADS)
    return render(request, "outside/waiting.html", {"page": page, **plain_frame(request)})


def _training(request: HttpRequest, public_id: str) -> OutsideTraining:
    return get_object_or_404(queries.visible_training(request.user), public_id=public_id)


def one(request: HttpRequest, public_id: str) -> HttpResponse:
    """One thing that somebody had elsewhere, with its paper; whoever keeps records decides here."""
    found = _training(request, public_id)
    may_decide = bool(policy.may(request.user, "change records", found.person))
    form = DecideForm(request.POST or None)
    if request.method == "POST":
        policy.require(request.user, "change records", found.person)
        if form.is_valid():

            def act() -> str:
                is_confirmed = request.POST.get("act") == "confirm"
                with undoing.watched() as watched:
                    actions.decide_outside(
                        training=found,
                        is_confirmed=is_confirmed,
                        words=form.cleaned_data["words"],
                        by=account_of(request),
                    )
                said = "confirmed; it counts" if is_confirmed else "not confirmed"
                toasts.say(request, f"“{found.title}” is {said}. {found.person.name} is told.", act=watched.act)
                return reverse("outside:waiting")

            try:
                return act_once(request, act)
            except Refusal as refusal:
                of = getattr(refusal, "field", "")
                form.add_error(of if of in form.fields else None, str(refusal))
    context = {"training": found, "form": form, "may_decide": may_decide, **plain_frame(request)}
    is_own = found.person.account_id == request.user.pk and not policy.may(request.user, "open records")
    template = "outside/own_one.html" if is_own else "outside/one.html"
    return render(request, template, context, status=422 if form.errors else 200)


@require_POST
def withdraw(request: HttpRequest, public_id: str) -> HttpResponse:
    """What one asked for is not to be looked at."""
    mine = get_object_or_404(
        queries.visible_training(request.user), public_id=public_id, person__account=request.user.pk
    )

    def act() -> str:
        actions.withdraw_outside(training=mine, by=account_of(request))
        toasts.say(request, f"“{mine.title}” is withdrawn.")
        return reverse("records:own")

    try:
        return act_once(request, act)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("records:own")


def document(request: HttpRequest, public_id: str) -> FileResponse:
    """The paper: for whoever reads the record. Nothing of it is run in this origin."""
    found = get_object_or_404(
        queries.visible_training(request.user).select_related("document"), public_id=public_id, document__isnull=False
    )
    assert found.document is not None, "asked for with it"
    return given_file(found.document, found.document_name)
