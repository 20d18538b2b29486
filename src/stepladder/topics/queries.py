"""Reading topics."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.db.models import Count

from stepladder.topics.actions import topic_tables
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names

__all__ = ["TopicRow", "topic_rows"]


@dataclass(frozen=True)
class TopicRow:
    """A topic in the list, its words, and how many things of each kind carry it: "3 modules, 1 course"."""

    topic: Topic
    words: str
    carried_by: str


def topic_rows() -> list[TopicRow]:
    """The whole list in its order; two queries and one for each kind of thing that carries topics."""
    topics = {topic.public_id: topic for topic in Topic.objects.select_related("parent")}
    counts: dict[int, list[str]] = {}
    for through, column, other in topic_tables():
        kind: Any = through._meta.get_field(other).related_model
        for key, count in through._default_manager.values_list(column).annotate(n=Count("pk")):
            one, many = kind._meta.verbose_name, kind._meta.verbose_name_plural
            counts.setdefault(key, []).append(f"{count} {one if count == 1 else many}")
    names = topic_names().words
    return [TopicRow(topics[key], names[key], ", ".join(counts.get(topics[key].pk, []))) for key in names]
