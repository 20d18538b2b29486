"""Making and changing links."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.library import links
from stepladder.library.kinds.link import LINK
from stepladder.library.link_forms import LinkForm, NewLinkForm
from stepladder.library.models import Binder, Module
from stepladder.library.queries import binders
from stepladder.web import toasts
from stepladder.web.once import act_once


def new_link(request: HttpRequest, public_id: str) -> HttpResponse:
    """A link, in a binder."""
    editable = policy.visible(request.user, "change modules", Binder.objects.all())
    binder = get_object_or_404(editable, public_id=public_id)
    form = NewLinkForm(request.POST or None)
    if form.is_bound and form.is_valid():
        worked = links.prepare_link(**form.cleaned_data)

        def act() -> str:
            version = links.create_link(binder=binder, worked=worked, by=account_of(request))
            return reverse("library:module", args=[version.module.public_id])

        return act_once(request, act)
    context = {"form": form, "binder": binder, "binders": binders(request.user)}
    return render(request, "library/new_link.html", context, status=422 if form.errors else 200)


@require_POST
def change_link(request: HttpRequest, public_id: str) -> HttpResponse:
    """Where it leads, and when it is done: a newer version."""
    shown = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    module, form = get_object_or_404(shown, public_id=public_id), LinkForm(request.POST)
    if module.kind != LINK:
        raise Http404
    if form.is_valid():
        policy.require(request.user, "change modules", module)
        worked = links.prepare_link(title=module.title, minutes=module.minutes, **form.cleaned_data)
        version = links.change_link(module=module, worked=worked, by=account_of(request))
        toasts.say(request, f"That is version {version.number}. Released editions keep theirs.")
    else:
        toasts.trouble(request, f"Nothing was saved: {next(iter(form.errors.values()))[0]}")
    return redirect("library:module", public_id=public_id)
