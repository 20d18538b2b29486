"""Who changes, who uses and who sees a binder."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role
from stepladder.accounts.signed_in import account_of
from stepladder.library import actions, queries
from stepladder.library.models import Binder
from stepladder.reaches.reach_forms import chosen_reach, form_of, reach_context
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once

__all__ = ["binder_access", "binder_seen_by"]

Reach = Mapping[str, Any] | None


class AccessForm(CommonForm, forms.Form):
    """Who edits a binder beside its owner, and who may use it. Whom the reach means is sent beside it."""

    co_editors = forms.ModelMultipleChoiceField(
        Account.objects.none(), label="They change it too", required=False, widget=forms.CheckboxSelectMultiple
    )
    who = forms.ChoiceField(
        label="Its modules are used, and seen in the library, by",
        choices=[("all", "every author"), ("reach", "authors in this reach"), ("none", "its editors alone")],
        widget=forms.RadioSelect,
    )


class SeenByForm(CommonForm, forms.Form):
    """Who sees what is in a binder and does not use it."""

    who = forms.ChoiceField(
        label="Its modules are seen by those who use them, and beside them by",
        choices=[("none", "nobody else"), ("reach", "authors in this reach"), ("all", "every author")],
        widget=forms.RadioSelect,
    )


def _binder(request: HttpRequest, public_id: str) -> Binder:
    shown = policy.visible(request.user, "change modules", Binder.objects.select_related("owner"))
    return get_object_or_404(shown, public_id=public_id)


def binder_access(request: HttpRequest, public_id: str) -> HttpResponse:
    """The page of who changes a binder and who uses it."""
    binder, by = _binder(request, public_id), account_of(request)
    form = AccessForm(
        request.POST or None,
        initial={"co_editors": binder.co_editors.all(), "who": _who(binder.is_shared, binder.used_by)},
    )
    choice: Any = form.fields["co_editors"]
    authors = Account.objects.filter(is_active=True, grants__role__in=[Role.AUTHOR, Role.ADMINISTRATOR])
    choice.queryset = authors.exclude(pk=binder.owner_id).distinct().order_by("name")

    def save(is_set: bool, reach: Reach) -> None:
        chosen = list(form.cleaned_data["co_editors"])
        actions.set_access(binder=binder, co_editors=chosen, is_shared=is_set, used_by=reach, by=by)

    return _answer(request, binder, form, binder.used_by, save, f"Who changes and uses “{binder.name}”")


def binder_seen_by(request: HttpRequest, public_id: str) -> HttpResponse:
    """The page of who sees what is in a binder beside those who use it."""
    binder, by = _binder(request, public_id), account_of(request)
    form = SeenByForm(request.POST or None, initial={"who": _who(binder.is_open, binder.seen_by)})

    def save(is_set: bool, reach: Reach) -> None:
        actions.set_seen_by(binder=binder, is_open=is_set, seen_by=reach, by=by)

    return _answer(request, binder, form, binder.seen_by, save, f"Who sees “{binder.name}”")


def _who(is_set: bool, reach: Reach) -> str:
    return "none" if not is_set else "reach" if reach else "all"


def _answer(
    request: HttpRequest,
    binder: Binder,
    form: forms.Form,
    reach: Reach,
    save: Callable[[bool, Reach], None],
    heading: str,
) -> HttpResponse:
    """A page with a choice of whom and the reach that the choice may mean, or what saving it leads to."""
    data = request.POST if request.method == "POST" else form_of(reach) if reach else QueryDict()

    def act() -> str:
        who = form.cleaned_data["who"]
        save(who != "none", chosen_reach(request.POST, who))
        toasts.say(request, "It is saved, and holds at once.")
        return reverse("library:binder", args=[binder.public_id])

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "form": form,
        "heading": heading,
        "reach": reach,
        "binder": binder,
        "binders": queries.binders(request.user),
        "by_name_only": False,
        **reach_context(data, request.user),
    }
    return render(request, "library/access.html", context, status=422 if form.errors else 200)
