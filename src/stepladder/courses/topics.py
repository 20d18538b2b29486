"""Which topics courses and paths carry: how they are found, not what an edition teaches, so no release is needed."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction
from django.http import HttpRequest

from stepladder import events
from stepladder.accounts import policy
from stepladder.courses.models import Course, Path
from stepladder.courses.permissions import to_change
from stepladder.journal.actions import Actor, Named, record
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names
from stepladder.web.margin import Panel

__all__ = ["set_topics", "topics_panel"]


@transaction.atomic
def set_topics(*, of: Course | Path, topics: Collection[str], by: Actor) -> None:
    """The topics (public ids) that a course or path carries from now on."""
    policy.require(by, to_change(of), of)
    of.topics.set(Topic.objects.filter(public_id__in=topics))
    kind = "course" if isinstance(of, Course) else "path"
    said = topic_names().said(topic.public_id for topic in of.topics.all())
    entry = record("set_topics", by=by, about=Named(kind, of.public_id, of.title), data={"topics": said or "none"})
    if isinstance(of, Course):
        events.announce(events.CourseChanged(of.pk), entry.act)


def topics_panel(request: HttpRequest, of: Course | Path) -> Panel | None:
    """Which topics it carries, to be changed by who may."""
    names, carried = topic_names(), {topic.public_id for topic in of.topics.all()}
    may_change = policy.may(request.user, to_change(of), of)
    if not names.words or not (may_change or carried):
        return None
    context = {
        "of": of,
        "is_path": isinstance(of, Path),
        "said": names.said(carried),
        "choices": [(key, words, key in carried) for key, words in names.words.items()],
        "may_change": may_change,
    }
    return Panel("Topics", "courses/topics.html", context)
