"""Who changes and who uses a binder."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role
from stepladder.accounts.signed_in import account_of
from stepladder.library import actions, queries
from stepladder.library.errors import LibraryError
from stepladder.library.models import Binder
from stepladder.reaches.reach_forms import form_of, reach_context, stored_reach
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once

__all__ = ["binder_access"]


class AccessForm(CommonForm, forms.Form):
    """Who edits a binder beside its owner, and who may use it. Whom the reach means is sent beside it."""

    co_editors = forms.ModelMultipleChoiceField(
        Account.objects.none(), label="They change it too", required=False, widget=forms.CheckboxSelectMultiple
    )
    used_by = forms.ChoiceField(
        label="Its modules are used, and seen in the library, by",
        choices=[("all", "every author"), ("reach", "authors in this reach"), ("editors", "its editors alone")],
        widget=forms.RadioSelect,
    )


def binder_access(request: HttpRequest, public_id: str) -> HttpResponse:
    """The page of a binder's access."""
    shown = policy.visible(request.user, "change modules", Binder.objects.select_related("owner"))
    binder = get_object_or_404(shown, public_id=public_id)
    how = "editors" if not binder.is_shared else "reach" if binder.used_by else "all"
    form = AccessForm(request.POST or None, initial={"co_editors": binder.co_editors.all(), "used_by": how})
    choice: Any = form.fields["co_editors"]
    authors = Account.objects.filter(is_active=True, grants__role__in=[Role.AUTHOR, Role.ADMINISTRATOR])
    choice.queryset = authors.exclude(pk=binder.owner_id).distinct().order_by("name")
    data = request.POST if request.method == "POST" else form_of(binder.used_by) if binder.used_by else QueryDict()

    def act() -> str:
        asked, reach = form.cleaned_data, stored_reach(request.POST)
        if asked["used_by"] == "reach" and not reach.get("in") and not reach.get("named_in"):
            raise LibraryError("This reach is nobody yet: say which authors it means, or choose another line.")
        actions.set_access(
            binder=binder,
            co_editors=list(asked["co_editors"]),
            is_shared=asked["used_by"] != "editors",
            used_by=reach if asked["used_by"] == "reach" else None,
            by=account_of(request),
        )
        toasts.say(request, "It is saved, and holds at once.")
        return reverse("library:binder", args=[binder.public_id])

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "form": form,
        "binder": binder,
        "binders": queries.binders(request.user),
        "by_name_only": False,
        **reach_context(data, request.user),
    }
    return render(request, "library/access.html", context, status=422 if form.errors else 200)
