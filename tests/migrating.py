"""Databases as they were at some migration, made from nothing: to take the newest one back takes much longer."""

from django.db import connection
from django.db.migrations.executor import MigrationExecutor


def migrated(*targets):
    """The models as they are once the database is at *targets*: pairs of an app and a migration's name."""
    executor = MigrationExecutor(connection)
    executor.migrate(list(targets))
    return executor.loader.project_state(list(targets)).apps


def newest(*apps):
    """The last migration of each app."""
    leaves = MigrationExecutor(connection).loader.graph.leaf_nodes
    return [leaf for app in apps for leaf in leaves(app)]
