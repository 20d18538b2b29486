"""Groups: a named set of people, fixed or by conditions."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.journal.queries import history
from stepladder.reaches import actions, queries
from stepladder.reaches.forms import GroupForm
from stepladder.reaches.models import Group, GroupRule
from stepladder.reaches.reach_forms import ReachPart, form_of, pickers, reach_context, sentence_of, stored_reach
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


def groups(request: HttpRequest) -> HttpResponse:
    context = {
        "rows": queries.group_rows(clock.today()),
    }
    return render(request, "reaches/groups.html", context)


@require_POST
def reach_sentence(request: HttpRequest) -> HttpResponse:
    """Whom a form means as it stands, read back."""
    return HttpResponse(sentence_of(stored_reach(request.POST)), content_type="text/plain; charset=utf-8")


def new_group(request: HttpRequest) -> HttpResponse:
    form = GroupForm(request.POST or None)
    return _group_page(request, form, None, request.POST if request.method == "POST" else QueryDict())


def group(request: HttpRequest, public_id: str) -> HttpResponse:
    """A group: whom it means, and who is in it today."""
    found = get_object_or_404(Group, public_id=public_id)
    rule = GroupRule.objects.known_now().get(group=found)
    form = GroupForm(request.POST or None, initial={"name": found.name, "note": found.note, "revision": found.revision})
    return _group_page(request, form, found, request.POST if request.method == "POST" else form_of(rule.reach))


def _group_page(request: HttpRequest, form: GroupForm, found: Group | None, data: QueryDict) -> HttpResponse:
    def act() -> str:
        cleaned, reach, by = form.cleaned_data, stored_reach(request.POST), account_of(request)
        named = {"name": cleaned["name"], "note": cleaned["note"], "reach": reach, "by": by}
        change = {"group": found, "revision": cleaned["revision"]} if found else {}
        saved = (actions.change_group if found else actions.create_group)(**change, **named)
        toasts.say(request, f"The group “{saved.name}” is saved.")
        return reverse("reaches:group", args=[saved.public_id])

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            field = getattr(refusal, "field", "")
            form.add_error(field if field in form.fields else None, str(refusal))
    members: Any = queries.members_of(found, clock.today()) if found else []
    context = {
        "form": form,
        "group": found,
        "page": page_of(request, members, [("Name", ""), ("Number", "")]),
        "history": history("group", found.public_id) if found else [],
        "by_name_only": False,
        **reach_context(data, request.user),
    }
    return render(request, "reaches/group.html", context, status=422 if form.errors else 200)


def reach_part(request: HttpRequest) -> HttpResponse:
    """A further, empty set of conditions."""
    asked = request.GET.get("number", "")
    number = min(whole_number(asked) or 1, 5)
    return render(request, "reaches/reach_part.html", {"part": ReachPart({}, number), **pickers(request.user)})
