"""What the queue does for people."""

from __future__ import annotations

from django_tasks import task

from stepladder.people import actions

__all__ = ["shut_sign_ins"]


@task()
def shut_sign_ins() -> None:
    """The daily run: whoever left before today signs in no more."""
    actions.shut_sign_ins()
