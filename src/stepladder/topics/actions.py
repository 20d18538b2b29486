"""Keeping the list of topics."""

from __future__ import annotations

from typing import Any

from django.db import models, transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.topics.errors import TopicError
from stepladder.topics.models import Topic

__all__ = ["add_topic", "carriers", "move_topic", "remove_topic", "rename_topic", "topic_tables"]

# Signs that part topics where several are written in a row.
PARTING = "›>/;,"


@transaction.atomic
def add_topic(*, name: str, by: Actor, parent: Topic | None = None) -> Topic:
    """A topic, or one below *parent*. Raises TopicError."""
    policy.require(by, "keep topics")
    if parent is not None and parent.parent_id is not None:
        raise TopicError(f"“{parent.name}” is below another topic already: the list has two levels.")
    name = _checked(name, parent, None)
    topic = Topic.objects.create(name=name, parent=parent)
    record("add_topic", by=by, about=_named(topic))
    return topic


@transaction.atomic
def rename_topic(*, topic: Topic, name: str, by: Actor) -> Topic:
    """Another name for it; what carries it goes on to. Raises TopicError."""
    policy.require(by, "keep topics")
    before, topic.name = topic.name, _checked(name, topic.parent, topic)
    topic.save(update_fields=["name"])
    entry = record("rename_topic", by=by, about=_named(topic), data={"before": before})
    events.announce(events.TopicChanged((topic.pk, *topic.below.values_list("pk", flat=True))), entry.act)
    return topic


@transaction.atomic
def move_topic(*, topic: Topic, parent: Topic | None, by: Actor) -> Topic:
    """Below another topic, or to the top. Raises TopicError."""
    policy.require(by, "keep topics")
    if parent is not None and (parent.parent_id is not None or parent == topic):
        raise TopicError("The list has two levels: choose a topic at the top.")
    if parent is not None and topic.below.exists():
        raise TopicError(f"There are topics below “{topic.name}”. Move those first: the list has two levels.")
    _checked(topic.name, parent, topic)
    topic.parent = parent
    topic.save(update_fields=["parent"])
    entry = record("move_topic", by=by, about=_named(topic), data={"to": parent.name if parent else "the top"})
    events.announce(events.TopicChanged((topic.pk,)), entry.act)
    return topic


@transaction.atomic
def remove_topic(*, topic: Topic, by: Actor, instead: Topic | None = None) -> None:
    """No longer in the list. What carries it carries *instead* from then on; without one, nothing may carry it. Raises TopicError."""
    policy.require(by, "keep topics")
    if topic.below.exists():
        raise TopicError(f"There are topics below “{topic.name}”. Move or remove those first.")
    count = sum(carriers(topic).values())
    if instead == topic:
        instead = None
    if count and instead is None:
        raise TopicError(
            f"{count} thing{'s carry' if count != 1 else ' carries'} “{topic.name}”. Choose the topic that they carry instead."
        )
    for through, column, other in topic_tables():
        rows = through._default_manager.filter(**{column: topic.pk})
        if instead is not None:
            have = through._default_manager.filter(**{column: instead.pk}).values(other)
            rows.exclude(**{f"{other}__in": have}).update(**{column: instead.pk})
        through._default_manager.filter(**{column: topic.pk}).delete()
    entry = record("remove_topic", by=by, about=_named(topic), data={"instead": instead.name if instead else "nothing"})
    events.announce(events.TopicReplaced(topic.pk, instead.pk if instead else None), entry.act)
    topic.delete()
    events.announce(events.TopicChanged((instead.pk,) if instead else ()), entry.act)


def carriers(topic: Topic) -> dict[str, int]:
    """How many things of each kind carry it: {"modules": 3}."""
    found = {}
    for through, column, other in topic_tables():
        kind: Any = through._meta.get_field(other).related_model
        found[str(kind._meta.verbose_name_plural)] = through._default_manager.filter(**{column: topic.pk}).count()
    return found


def topic_tables() -> list[tuple[type[models.Model], str, str]]:
    """The tables by which anything carries topics: each with its column of the topic and that of the thing."""
    found = []
    for relation in Topic._meta.related_objects:
        if relation.many_to_many:
            field: Any = relation.field
            found.append(
                (field.remote_field.through, f"{field.m2m_reverse_field_name()}_id", f"{field.m2m_field_name()}")
            )
    return found


def _checked(name: str, parent: Topic | None, but: Topic | None) -> str:
    name = " ".join(name.split())
    if not name:
        raise TopicError("Give the topic a name first.")
    if len(name) > 60 or set(PARTING) & set(name):
        raise TopicError(f"A topic’s name has 60 letters at most and none of {' '.join(PARTING)}")
    beside = Topic.objects.filter(parent=parent, name__iexact=name)
    if (beside.exclude(pk=but.pk) if but else beside).exists():
        raise TopicError(f"“{name}” is there already.")
    return name


def _named(topic: Topic) -> Named:
    return Named("topic", topic.public_id, topic.name)
