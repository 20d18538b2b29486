"""What the queue does for assignments."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import timedelta

from django.db import transaction
from django_tasks import task

from stepladder import clock, events
from stepladder.assignments import actions
from stepladder.facts import changed_since
from stepladder.learning.models import Completion
from stepladder.people.models import Employment, FieldValue, Leave, Person, Placement
from stepladder.queue.actions import in_pieces

__all__ = ["everybody", "keep_reasons_true", "places_of_people", "reasons_of_assignment", "reasons_of_people"]

# What was recorded so many days back is looked at once more by the daily run.
LOOKS_BACK = timedelta(days=3)


def everybody() -> list[int]:
    return list(Person.objects.order_by("pk").values_list("pk", flat=True))


def reasons_of_assignment(people: Sequence[int], act: events.Act, *, assignment: int) -> None:
    actions.refresh_reasons(assignments=[assignment], people=people, act=act)


def reasons_of_people(people: Sequence[int], act: events.Act) -> None:
    actions.refresh_reasons(people=people, act=act)


def places_of_people(people: Sequence[int], act: events.Act) -> None:
    actions.keep_true(people=people, act=act)


@task()
def keep_reasons_true() -> None:
    """The daily run: whoever comes to need a place today gets one, and is told.

    Of whom something was recorded or revoked in the last days the reasons are derived anew as well: where all went well,
    there is no difference to write.
    """
    act = events.Act(clock.today(), actions.DAILY)
    since = act.day - LOOKS_BACK
    facts = (Employment, Placement, Leave, FieldValue, Completion)
    with transaction.atomic():
        in_pieces(
            "reasons of people", ids=sorted(set().union(*(changed_since(kind, since) for kind in facts))), act=act
        )
        in_pieces("places", act=act)
