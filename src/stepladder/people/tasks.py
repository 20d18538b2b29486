"""What the queue does for people."""

from __future__ import annotations

from django_tasks import task

from stepladder.people import actions

__all__ = ["keep_names_true", "shut_sign_ins"]


@task()
def keep_names_true() -> None:
    """The daily run: a unit or position that is called otherwise from today on shows its name of today."""
    actions.keep_names_true()


@task()
def shut_sign_ins() -> None:
    """The daily run: whoever left before today signs in no more."""
    actions.shut_sign_ins()
