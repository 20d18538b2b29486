"""What the search knows of courses."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.courses.models import Course, CourseState
from stepladder.search import index

__all__ = ["index_courses"]


def index_courses(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these courses, or of all; withdrawn ones drop out."""
    courses = Course.objects.exclude(state=CourseState.WITHDRAWN).prefetch_related("editions", "topics__parent")
    if keys is not None:
        courses = courses.filter(pk__in=keys)
    return [
        index.Document(
            "course",
            c.pk,
            c.title,
            " ".join(f"{e.summary} {e.outcome}" for e in c.editions.all()),
            reverse("courses:course", args=[c.public_id]),
            c.state,
            tags=" ".join(name for t in c.topics.all() for name in (t.parent.name if t.parent else "", t.name)),
        )
        for c in courses
    ]


def on_topic_change(event: events.TopicChanged, act: events.Act) -> None:
    """Courses that carry topics which are called otherwise are found by their new names."""
    keys = Course.objects.filter(topics__in=event.topics).values_list("pk", flat=True).distinct()
    index.refresh("course", tuple(keys))


def on_change(event: events.CourseChanged, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh("course", (event.course,))
