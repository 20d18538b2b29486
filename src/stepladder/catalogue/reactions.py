"""What the catalogue shows on sheets of apps nearer the ground."""

from __future__ import annotations

from django.db.models import Count, Sum
from django.http import HttpRequest
from django.urls import reverse

from stepladder import events
from stepladder.accounts import policy
from stepladder.accounts.switches import is_on
from stepladder.catalogue.models import Following, Rating, Request
from stepladder.catalogue.switching import RATINGS
from stepladder.core.catalogue import rating
from stepladder.courses.models import Course, Path
from stepladder.courses.permissions import to_change
from stepladder.web.margin import Panel, VerbLink

__all__ = ["noticeboard_verb", "post_verb", "said_panel"]

# So many words with ratings stand in the margin, the newest first.
SHOWN = 5


def post_verb(request: HttpRequest, thing: Course | Path) -> VerbLink | None:
    """From a released course or path to the noticeboard."""
    if thing.state != "released" or not policy.may(request.user, "keep the noticeboard"):
        return None
    return VerbLink("Put on the noticeboard…", reverse("catalogue:post") + f"?thing={thing.public_id}")


def embed_verb(request: HttpRequest, path: Path) -> VerbLink | None:
    """From a released path to showing it on other sites."""
    if path.state != "released" or not policy.may(request.user, "embed paths"):
        return None
    return VerbLink("Embed it…", reverse("catalogue:embed", args=[path.public_id]))


def noticeboard_verb(request: HttpRequest, _: None) -> VerbLink | None:
    """From the list of courses to the noticeboard."""
    if not policy.may(request.user, "keep the noticeboard"):
        return None
    return VerbLink("Noticeboard", reverse("catalogue:noticeboard"))


def said_panel(request: HttpRequest, thing: Course | Path) -> Panel | None:
    """For its author: what it was given, the words with it, and how many ask to get in."""
    if not policy.may(request.user, to_change(thing), thing):
        return None
    of = {"course": thing} if isinstance(thing, Course) else {"path": thing}
    rows = Rating.objects.filter(**of) if is_on(RATINGS.name) else Rating.objects.none()
    totals = rows.aggregate(total=Sum("points"), count=Count("pk"))
    waiting = Request.objects.filter(state=Request.State.WAITS, **of).count()
    if not totals["count"] and not waiting:
        return None
    context = {
        "rated": rating(totals["total"] or 0, totals["count"]),
        "count": totals["count"],
        "words": list(rows.exclude(words="").order_by("-at").values_list("words", flat=True)[:SHOWN]),
        "waiting": waiting,
    }
    return Panel("What learners say", "catalogue/said_panel.html", context)


def follow_instead(event: events.TopicReplaced, act: events.Act) -> None:
    """Whoever follows a topic that goes out of the list follows the one that things carry instead."""
    if event.instead is None:
        return
    already = Following.objects.filter(topic=event.instead).values("person")
    Following.objects.filter(topic=event.topic).exclude(person__in=already).update(topic=event.instead)
