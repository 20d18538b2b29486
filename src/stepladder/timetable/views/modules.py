"""Modules that are taught in sessions: they are made here, of no file."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.library.actions import add_version, create_module
from stepladder.library.models import Binder, Module
from stepladder.library.queries import binders
from stepladder.timetable import kind
from stepladder.timetable.module_forms import SessionModuleForm, ThresholdForm
from stepladder.web import toasts
from stepladder.web.once import act_once


def new_module(request: HttpRequest, public_id: str) -> HttpResponse:
    """A module of the kind session, in a binder."""
    editable = policy.visible(request.user, "change modules", Binder.objects.all())
    binder = get_object_or_404(editable, public_id=public_id)
    form = SessionModuleForm(request.POST or None)
    if form.is_bound and form.is_valid():

        def act() -> str:
            sent = form.cleaned_data
            worked = kind.made(sent["title"], sent["minutes"], sent["share"], sent["description"])
            version = create_module(binder=binder, kind=kind.KIND, worked=worked, by=account_of(request))
            return reverse("library:module", args=[version.module.public_id])

        return act_once(request, act)
    # One is in the library still, whoever's kind of module it is.
    context = {"form": form, "binder": binder, "binders": binders(request.user), "here": "library"}
    return render(request, "timetable/new_module.html", context, status=422 if form.errors else 200)


@require_POST
def threshold(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another share from which on a session counts as attended: a newer version, for the sessions signed off after it."""
    shown = policy.visible(request.user, "see modules", Module.objects.filter(kind=kind.KIND.name))
    module = get_object_or_404(shown, public_id=public_id)
    form = ThresholdForm(request.POST)
    if form.is_valid():
        worked = kind.made(module.title, module.minutes, form.cleaned_data["share"])
        add_version(module=module, worked=worked, by=account_of(request))
        toasts.say(request, "It holds for sessions that are signed off from now on.")
    else:
        toasts.trouble(request, f"Nothing was saved: {next(iter(form.errors.values()))[0]}")
    return redirect("library:module", public_id=public_id)
