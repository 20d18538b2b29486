"""What the search knows of the catalogue: editions as released, with the words inside their modules."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Any

from django.db.models import Prefetch
from django.urls import reverse

from stepladder import events
from stepladder.courses.indexing import words_of_topics
from stepladder.courses.models import Course, CourseState, Edition, Path, PathEdition, Step
from stepladder.courses.paths import plan_of
from stepladder.library.indexing import LONGEST, words_inside
from stepladder.library.kinds import kind_named
from stepladder.search import index

__all__ = ["COURSE", "PATH", "index_courses", "index_paths"]

# The kinds of its documents, as the results name them.
COURSE, PATH = "in the catalogue", "path in the catalogue"
# So many courses are read at a time.
PIECE = 50


def index_courses(keys: tuple[int, ...] | None) -> Iterator[index.Document]:
    """The documents of these courses, or of all that are released: of what learners see, never of a draft."""
    rows = Course.objects.filter(state=CourseState.RELEASED).order_by("pk")
    wanted = list((rows if keys is None else rows.filter(pk__in=keys)).values_list("pk", flat=True))
    for start in range(0, len(wanted), PIECE):
        yield from _piece(wanted[start : start + PIECE])


def _piece(keys: list[int]) -> list[index.Document]:
    steps = Prefetch("steps", Step.objects.select_related("module", "version"))
    editions = (
        Edition.objects.filter(course__in=keys, state=Edition.State.RELEASED)
        .select_related("course")
        .prefetch_related(steps, "course__topics__parent", "course__tags")
    )
    found = list(editions)
    inside = words_inside(step.version for edition in found for step in edition.steps.all())
    return [_document(edition, inside) for edition in found]


def _document(edition: Edition, inside: dict[int, list[str]]) -> index.Document:
    course = edition.course
    texts = []
    for step in edition.steps.all():
        own = kind_named(step.module.kind).words(step.version)
        texts += [step.title, own, *inside.get(step.version_id, ())]
    return index.Document(
        COURSE,
        course.pk,
        edition.title,
        f"{edition.summary} {edition.description} {edition.outcome}",
        reverse("catalogue:thing", args=[course.public_id]),
        tags=words_of_topics(course),
        text=" ".join(texts)[:LONGEST],
    )


def index_paths(keys: tuple[int, ...] | None) -> Iterable[index.Document]:
    """The documents of these paths, or of all that are released."""
    rows = PathEdition.objects.known_now().filter(path__state=CourseState.RELEASED)
    editions: Any = rows if keys is None else rows.filter(path__in=keys)
    titles = dict(Course.objects.values_list("pk", "title"))
    return [
        index.Document(
            PATH,
            edition.path_id,
            edition.title,
            edition.summary,
            reverse("catalogue:thing", args=[edition.path.public_id]),
            tags=words_of_topics(edition.path),
            text=" ".join(titles.get(key, "") for key in plan_of(edition).courses),
        )
        for edition in editions.select_related("path").prefetch_related("path__topics__parent", "path__tags")
    ]


def on_course(event: events.CourseChanged, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh(COURSE, (event.course,))


def on_path(event: events.PathReleased, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh(PATH, (event.path,))


def on_topic_change(event: events.TopicChanged, act: events.Act) -> None:
    """What carries topics that are called otherwise is found by their new names."""
    courses = Course.objects.filter(topics__in=event.topics).values_list("pk", flat=True).distinct()
    paths = Path.objects.filter(topics__in=event.topics).values_list("pk", flat=True).distinct()
    index.refresh(COURSE, tuple(courses))
    index.refresh(PATH, tuple(paths))
