"""Sources: the list, a source's sheet with what is in it, and a new one."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.journal.queries import history
from stepladder.library.details import DETAILS, PICTURE
from stepladder.library.editing import heading_of
from stepladder.library.errors import LibraryError
from stepladder.library.models import Binder, Module
from stepladder.library.picture_views import given_picture
from stepladder.library.queries import binders
from stepladder.sources import actions, queries
from stepladder.sources.forms import SourceForm
from stepladder.sources.models import Source
from stepladder.web import toasts
from stepladder.web.margin import Panel
from stepladder.web.once import act_once
from stepladder.web.sheets import save_sheet
from stepladder.web.tables import page_of

HEADS = [("", ""), ("Name", ""), ("Place", ""), ("Binder", ""), ("Read", ""), ("In it", "")]


def _binders(request: HttpRequest) -> Any:
    return policy.visible(request.user, "change modules", Binder.objects.order_by("name"))


def sources(request: HttpRequest) -> HttpResponse:
    """Every source, how it stands, and when it was last read."""
    context = {
        "page": page_of(request, queries.counted_sources().order_by("name"), HEADS),
        "binders": binders(request.user),
        "roots": settings.SOURCE_ROOTS,
    }
    return render(request, "sources/sources.html", context)


def new_source(request: HttpRequest) -> HttpResponse:
    form = SourceForm(request.POST or None, binders=_binders(request))
    if request.method == "POST" and form.is_valid():

        def act() -> str:
            source = actions.create_source(by=account_of(request), **form.cleaned_data)
            actions.ask_for_look(source=source, by=account_of(request))
            return reverse("sources:source", args=[source.public_id])

        return act_once(request, act)
    context = {"form": form, "binders": binders(request.user), "roots": settings.SOURCE_ROOTS}
    return render(request, "sources/new.html", context, status=422 if form.errors else 200)


def source(request: HttpRequest, public_id: str) -> HttpResponse:
    """A source: what is in it, what is new, changed, missing, and what went wrong."""
    found = get_object_or_404(queries.counted_sources(), public_id=public_id)
    asked = request.GET.get("show", "")
    shown = asked if asked in queries.SHOWN else ""
    heads = [("File" if found.kind == Source.Kind.FOLDER else "Address", ""), ("Module", ""), ("Since", ""), ("", "")]
    context = {
        "source": found,
        "form": SourceForm(binders=_binders(request), source=found),
        "page": page_of(request, queries.items_of(found, shown), heads),
        "shown": shown,
        "choices": queries.SHOWN,
        "binders": binders(request.user),
        "panels": _panels(request, found),
        "history": history("source", found.public_id),
    }
    return render(request, "sources/source.html", context)


def _panels(request: HttpRequest, found: Source) -> list[Panel]:
    """Its picture, and who uses and sees what comes of it, as its binder says."""
    action = reverse("sources:picture", args=[found.public_id])
    picture = {"digest": found.picture, "title": found.name, "still": "", "action": action, "may_change": True}
    binder = {"binder": found.binder, "may_change": policy.may(request.user, "change modules", found.binder)}
    return [
        Panel("Who uses and sees what comes", "sources/who.html", binder),
        Panel("Picture", "library/own_picture.html", picture),
    ]


@require_POST
def edit_source(request: HttpRequest, public_id: str) -> HttpResponse:
    found, by = get_object_or_404(Source, public_id=public_id), account_of(request)
    form = SourceForm(request.POST, binders=_binders(request), source=found)
    return save_sheet(
        request, form, found, lambda data, rev: actions.change_source(source=found, revision=rev, by=by, **data)
    )


@require_POST
def turn_source(request: HttpRequest, public_id: str) -> HttpResponse:
    """Switch it on or off, or look at it now, as `do` says."""
    found, by = get_object_or_404(Source, public_id=public_id), account_of(request)
    do = request.POST.get("do", "")
    if do in ("on", "off"):
        actions.switch_source(source=found, is_on=do == "on", by=by)
        toasts.say(request, f"It is {do}." if do == "on" else "It is off. What came of it stays.")
    else:
        actions.ask_for_look(source=found, by=by)
        toasts.say(request, "It is looked at now. What is found stands here in a moment.")
    return redirect("sources:source", public_id=public_id)


@require_POST
def source_picture(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another picture of a source, or none of its own."""
    found = get_object_or_404(Source, public_id=public_id)
    try:
        actions.set_picture(source=found, digest=given_picture(request), by=account_of(request))
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("sources:source", public_id=public_id)


@require_POST
def give_back(request: HttpRequest, public_id: str, detail: str) -> HttpResponse:
    """A detail of a module is its source's again."""
    shown = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    module = get_object_or_404(shown, public_id=public_id)
    if detail not in (*DETAILS, PICTURE):
        raise Http404
    actions.give_back_detail(module=module, name=detail, by=account_of(request))
    toasts.say(request, f"The {heading_of(detail).lower()} is as its source says it.")
    return redirect("library:module", public_id=public_id)
