"""Asking the servers that a lesson's links lead to whether they are there: for its author, by the queue, where links are asked at all."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.core.lessons import links_in
from stepladder.journal.actions import Actor
from stepladder.library import fetching
from stepladder.library.errors import LibraryError
from stepladder.queue.actions import Queue, later
from stepladder.writing.content import content_of_draft
from stepladder.writing.errors import WritingError
from stepladder.writing.models import Lesson

__all__ = ["ask_for_links", "ask_links", "links_of", "words"]

# So many a piece: a server that does not answer takes its time, and others wait for the queue.
A_PIECE = 10
MOST = 300


def links_of(lesson: Lesson) -> list[str]:
    """The addresses in a draft, each once."""
    found = (url for section in content_of_draft(lesson).sections for _, url in links_in(section.tree))
    return list(dict.fromkeys(found))[:MOST]


@transaction.atomic
def ask_for_links(*, lesson: Lesson, by: Actor) -> None:
    """Have all links of a draft asked. Raises WritingError where this installation asks nobody."""
    policy.require(by, "change modules", lesson.module)
    if not organisation().fetches_links:
        raise WritingError("Links are not asked here. An administrator can allow it, under Organisation.")
    lesson.links_wanted_at = clock.now()
    lesson.save(update_fields=["links_wanted_at"])
    later(ask_links, queue=Queue.MAIL, lesson_id=lesson.pk)


@task()
def ask_links(lesson_id: int, place: int = 0, told: dict[str, str] | None = None) -> None:
    """Ask a piece of them, and hand the rest over; it may run twice."""
    lesson = Lesson.objects.filter(pk=lesson_id).first()
    if lesson is None or not lesson.is_asking_links:
        return
    every, said = links_of(lesson), dict(told or {})
    for url in every[place : place + A_PIECE]:
        said[url] = _trouble_of(url)
    with transaction.atomic():
        if place + A_PIECE < len(every):
            later(ask_links, queue=Queue.MAIL, lesson_id=lesson_id, place=place + A_PIECE, told=said)
        else:
            Lesson.objects.filter(pk=lesson_id).update(links=said, links_asked_at=clock.now())


def _trouble_of(url: str) -> str:
    try:
        fetching.fetch(url, most=1024)
    except LibraryError as refusal:
        return str(refusal)[:200]
    return ""


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    lesson = Lesson.objects.select_related("module").filter(pk=said.get("lesson_id", 0)).first()
    return f"asking the links of “{lesson.module.title}”" if lesson else "asking the links of a lesson that is gone"
