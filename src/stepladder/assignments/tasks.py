"""What the queue does for assignments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from django_tasks import task

from stepladder.assignments import actions
from stepladder.people.models import Person

__all__ = ["keep_reasons_true", "refresh_all_reasons", "refresh_assignments"]


# So many people are one transaction: whoever else writes waits no longer than for these.
PIECE = 250


def _pieces(people: Sequence[int] | None) -> Iterator[list[int]]:
    """People (None: everybody) in pieces, by key."""
    keys = sorted(people) if people is not None else list(Person.objects.order_by("pk").values_list("pk", flat=True))
    for at in range(0, len(keys), PIECE):
        yield keys[at : at + PIECE]


@task()
def keep_reasons_true() -> None:
    """The daily run: whoever comes to need a place today gets one, and is told."""
    for piece in _pieces(None):
        actions.keep_true(people=piece)


@task()
def refresh_all_reasons(people: list[int] | None = None) -> None:
    """Reckon reasons anew for these people, or for everybody."""
    for piece in _pieces(people):
        actions.refresh_reasons(people=piece)


@task()
def refresh_assignments(assignments: list[int]) -> None:
    """Reckon the reasons of these assignments anew; then whoever comes to need a place gets one."""
    for piece in _pieces(None):
        if assignments:
            actions.refresh_reasons(assignments=assignments, people=piece)
        actions.keep_true(people=piece)
