"""What the search knows of courses."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.courses.models import Course, CourseState, Path
from stepladder.search import index

__all__ = ["index_courses", "words_of_topics"]


def index_courses(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these courses, or of all; withdrawn ones drop out."""
    courses = Course.objects.exclude(state=CourseState.WITHDRAWN).prefetch_related("editions", "topics__parent", "tags")
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
            tags=words_of_topics(c),
        )
        for c in courses
    ]


def words_of_topics(of: Course | Path) -> str:
    """The names of the topics that it carries, and of those above them, and its tags."""
    names = [name for t in of.topics.all() for name in (t.parent.name if t.parent else "", t.name)]
    return " ".join([*names, *(tag.name for tag in of.tags.all())])


def on_topic_change(event: events.TopicChanged, act: events.Act) -> None:
    """Courses that carry topics which are called otherwise are found by their new names."""
    keys = Course.objects.filter(topics__in=event.topics).values_list("pk", flat=True).distinct()
    index.refresh("course", tuple(keys))


def on_change(event: events.CourseChanged, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh("course", (event.course,))
