"""What the queue does for assignments."""

from __future__ import annotations

from django_tasks import task

from stepladder.assignments import actions

__all__ = ["keep_reasons_true", "refresh_all_reasons", "refresh_assignments"]


@task()
def keep_reasons_true() -> None:
    """The daily run: whoever comes to need a place today gets one, and is told."""
    actions.keep_true()


@task()
def refresh_all_reasons(people: list[int] | None = None) -> None:
    """Reckon reasons anew for these people, or for everybody."""
    actions.refresh_reasons(people=people)


@task()
def refresh_assignments(assignments: list[int]) -> None:
    """Reckon the reasons of these assignments anew; then whoever comes to need a place gets one."""
    if assignments:
        actions.refresh_reasons(assignments=assignments)
    actions.keep_true()
