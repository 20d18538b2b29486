"""Which topics and tags courses and paths carry: how they are found, not what an edition teaches, so no release is needed."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from django.db import transaction
from django.http import HttpRequest

from stepladder import events
from stepladder.accounts import policy
from stepladder.courses.models import Course, Path
from stepladder.courses.permissions import to_change
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.details import read_tags
from stepladder.library.models import Module, Tag
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names
from stepladder.web.margin import Panel

__all__ = ["set_topics", "take_over", "topics_panel"]


@transaction.atomic
def set_topics(*, of: Course | Path, topics: Collection[str], by: Actor, tags: Collection[str] | None = None) -> None:
    """The topics (public ids), and the tags (None: as they are), that a course or path carries from now on."""
    policy.require(by, to_change(of), of)
    of.topics.set(Topic.objects.filter(public_id__in=topics))
    kind = "course" if isinstance(of, Course) else "path"
    said = topic_names().said(topic.public_id for topic in of.topics.all())
    if tags is not None:
        of.tags.set([Tag.objects.get_or_create(name=name)[0] for name in tags])
    entry = record("set_topics", by=by, about=Named(kind, of.public_id, of.title), data={"topics": said or "none"})
    if isinstance(of, Course):
        events.announce(events.CourseChanged(of.pk), entry.act)


def take_over(course: Course, modules: Iterable[Module]) -> None:
    """A course carries what the modules carry that are put into it; what is taken away from it by hand stays away."""
    keys = [module.pk for module in modules]
    course.topics.add(*Topic.objects.filter(modules__in=keys))
    course.tags.add(*Tag.objects.filter(modules__in=keys))


def read_sent(request: HttpRequest) -> dict[str, Any]:
    """The topics and tags that the panel's form sent. Raises DetailUnread for a tag that is none."""
    tags = read_tags(request.POST["tags"][:2000]) if "tags" in request.POST else None
    return {"topics": request.POST.getlist("topics"), "tags": tags}


def topics_panel(request: HttpRequest, of: Course | Path) -> Panel | None:
    """Which topics it carries, to be changed by who may."""
    names, carried = topic_names(), {topic.public_id for topic in of.topics.all()}
    may_change = policy.may(request.user, to_change(of), of)
    tags = sorted(tag.name for tag in of.tags.all())
    if not (may_change or carried or tags):
        return None
    context = {
        "of": of,
        "is_path": isinstance(of, Path),
        "said": names.said(carried),
        "tags": ", ".join(tags),
        "choices": [(key, words, key in carried) for key, words in names.words.items()],
        "may_change": may_change,
    }
    return Panel("Topics and tags", "courses/topics.html", context)
