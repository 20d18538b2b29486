"""A migration's operation for tasks that go on in another module: those that wait in the queue are found by their path."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db.migrations import RunPython

__all__ = ["MoveTasks"]


def _renamed(before: str, after: str, names: Sequence[str]) -> Callable[[Any, Any], None]:
    def run(apps: Any, schema_editor: Any) -> None:
        waiting = apps.get_model("django_tasks_database", "DBTaskResult").objects
        for name in names:
            waiting.filter(task_path=f"{before}.{name}").update(task_path=f"{after}.{name}")

    return run


class MoveTasks(RunPython):
    """Tasks by these names stood in the module *before*, and stand in *after*. Its migration depends on the queue's table."""

    def __init__(self, before: str, after: str, names: Sequence[str]) -> None:
        self.arguments = (before, after, names)
        super().__init__(_renamed(before, after, names), _renamed(after, before, names))

    def deconstruct(self) -> tuple[str, list[Any], dict[str, Any]]:
        return type(self).__name__, list(self.arguments), {}
