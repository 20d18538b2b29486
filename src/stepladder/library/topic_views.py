"""The list of topics."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.library.queries import binders
from stepladder.refusals import Refusal
from stepladder.topics import actions
from stepladder.topics.models import Topic
from stepladder.topics.queries import topic_rows
from stepladder.web import toasts


def topics(request: HttpRequest) -> HttpResponse:
    context = {"rows": topic_rows(), "may_change": policy.may(request.user, "keep topics")} | {
        "binders": binders(request.user)
    }
    return render(request, "library/topics.html", context)


@require_POST
def add_topic(request: HttpRequest) -> HttpResponse:
    """A topic at the top, or below the one that `below` names."""
    parent = Topic.objects.filter(public_id=request.POST.get("below", "")).first()
    try:
        actions.add_topic(name=request.POST.get("name", ""), parent=parent, by=account_of(request))
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("library:topics")


@require_POST
def change_topic(request: HttpRequest, public_id: str) -> HttpResponse:
    """Name a topic anew, move it, or take it away, as `do` says."""
    topic = get_object_or_404(Topic.objects.select_related("parent"), public_id=public_id)
    other, by = Topic.objects.filter(public_id=request.POST.get("other", "")).first(), account_of(request)
    try:
        if request.POST.get("do") == "remove":
            actions.remove_topic(topic=topic, instead=other, by=by)
            toasts.say(request, f"“{topic.name}” is no topic any more.")
        elif request.POST.get("do") == "move":
            actions.move_topic(topic=topic, parent=other, by=by)
        else:
            actions.rename_topic(topic=topic, name=request.POST.get("name", ""), by=by)
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("library:topics")
