"""What the queue does for charts."""

from __future__ import annotations

from django_tasks import task

from stepladder.charts import actions

__all__ = ["keep_names_true"]


@task()
def keep_names_true() -> None:
    """The daily run: a unit or position that is called otherwise from today on shows its name of today."""
    actions.keep_names_true()
