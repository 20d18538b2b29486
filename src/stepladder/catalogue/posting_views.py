"""The noticeboard, as it is kept."""

from __future__ import annotations

from datetime import timedelta

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts.signed_in import account_of
from stepladder.catalogue import queries
from stepladder.catalogue.actions import passing
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.forms import PostForm
from stepladder.catalogue.models import Posted
from stepladder.reaches.reach_forms import chosen_reach, form_of, reach_context, sentence_of
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.once import act_once


def noticeboard(request: HttpRequest) -> HttpResponse:
    """What is on it now and what will be."""
    today = clock.today()
    rows = [
        (row, sentence_of(row.reach.reach) if row.reach else "Whoever may find it.", row.from_day <= today)
        for row in queries.all_posted(today)
    ]
    return render(request, "catalogue/noticeboard.html", {"rows": rows})


def post(request: HttpRequest) -> HttpResponse:
    """Put something on the noticeboard; `thing` says what, where one comes from it."""
    today = clock.today()
    first: dict[str, object] = {"from_day": today, "to_day": today + timedelta(days=14)}
    if come_from := queries.released_thing(request.GET.get("thing", "")):
        first |= {"thing": come_from.title, "exact": come_from.public_id}
    return _answer(request, None, first)


def change(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is on the noticeboard, said otherwise."""
    posted = get_object_or_404(Posted.objects.select_related("course", "path", "reach"), public_id=public_id)
    first = {
        "thing": posted.thing.title,
        "exact": posted.thing.public_id,
        "words": posted.words,
        "from_day": posted.from_day,
        "to_day": posted.to_day,
        "who": "reach" if posted.reach else "all",
    }
    return _answer(request, posted, first)


def _answer(request: HttpRequest, posted: Posted | None, first: dict[str, object]) -> HttpResponse:
    form = PostForm(request.POST or None, initial=first)
    reach = posted.reach.reach if posted and posted.reach else None
    data = request.POST if request.method == "POST" else form_of(reach) if reach else QueryDict()

    def act() -> str:
        said = dict(form.cleaned_data)
        chosen = chosen_reach(request.POST, said.pop("who"))
        thing = said["thing"]
        passing.post(reach=chosen, posted=posted, by=account_of(request), **said)
        toasts.say(request, f"“{thing.title}” is on the noticeboard on these days.")
        return reverse("catalogue:noticeboard")

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except CatalogueError as refusal:
            form.add_error(refusal.field, str(refusal))
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "form": form,
        "posted": posted,
        "reach": reach,
        "by_name_only": False,
        **reach_context(data, request.user),
    }
    return render(request, "catalogue/post.html", context, status=422 if form.errors else 200)


@require_POST
def take_down(request: HttpRequest, public_id: str) -> HttpResponse:
    """No longer on the noticeboard."""
    posted = get_object_or_404(Posted.objects.select_related("course", "path"), public_id=public_id)
    title = posted.thing.title
    passing.take_down(posted=posted, by=account_of(request))
    toasts.say(request, f"“{title}” is taken down.")
    return redirect("catalogue:noticeboard")
