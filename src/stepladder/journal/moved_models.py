"""A migration's operation for models that go on in another app: their tables stay as they are and keep their names.

The journal's digests name the tables, so a table that was renamed would be one that the journal knows nothing of.
"""

from __future__ import annotations

from typing import Any

from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.migrations.operations.base import Operation
from django.db.migrations.state import ProjectState
from django.db.migrations.utils import get_references

__all__ = ["TakeModels"]


class TakeModels(Operation):
    """Take models from another app, with everything that points at them, in whatever app that is.

    Only what Django knows of the models changes, nothing in the database.
    """

    reduces_to_sql = False
    reversible = True

    def __init__(self, from_app: str, names: list[str]) -> None:
        self.from_app, self.names = from_app, names

    def deconstruct(self) -> tuple[str, list[Any], dict[str, Any]]:
        return type(self).__name__, [self.from_app, self.names], {}

    def state_forwards(self, app_label: str, state: ProjectState) -> None:
        for name in self.names:
            self._take(app_label, state, name)

    def _take(self, app_label: str, state: ProjectState, name: str) -> None:
        old = (self.from_app, name.lower())
        model_state = state.models[old].clone()
        model_state.app_label = app_label
        model_state.options = {"db_table": f"{self.from_app}_{name.lower()}", **model_state.options}
        state.models[app_label, name.lower()] = model_state
        changed = set()
        for model, field_name, field, reference in list(get_references(state, old)):
            if reference.to:
                pointing: Any = field.clone()
                pointing.remote_field.model = f"{app_label}.{name}"
                model.fields[field_name] = pointing
                changed.add((model.app_label, model.name_lower))
        changed.discard(old)
        state.reload_models(list(changed), delay=True)
        state.remove_model(*old)
        state.reload_model(app_label, name.lower(), delay=True)

    def database_forwards(
        self, app_label: str, schema_editor: BaseDatabaseSchemaEditor, from_state: ProjectState, to_state: ProjectState
    ) -> None:
        """Nothing: the tables are there."""

    def database_backwards(
        self, app_label: str, schema_editor: BaseDatabaseSchemaEditor, from_state: ProjectState, to_state: ProjectState
    ) -> None:
        """Nothing: the tables are there."""

    def describe(self) -> str:
        return f"Take {', '.join(self.names)} from {self.from_app}"
