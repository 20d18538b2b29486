"""Charts without days are carried into branches with days, and back."""

import pytest
from django.db import connection
from django.db.migrations.executor import MigrationExecutor

from stepladder.journal import sealing

BEFORE, AFTER = [("people", "0001_initial")], [("people", "0004_drop_undated_places")]


@pytest.fixture(autouse=True)
def _unwatched(transactional_db):
    """As `migrate` does: tables are made anew without the journal looking on."""
    sealing.suspend(connection)
    yield
    sealing.install(connection)


def migrated(targets):
    executor = MigrationExecutor(connection)
    executor.migrate(targets)
    return executor.loader.project_state(targets).apps


@pytest.mark.django_db(transaction=True)
def test_where_each_node_hung_is_a_branch_from_the_beginning():
    latest = MigrationExecutor(connection).loader.graph.leaf_nodes()
    old = migrated(BEFORE)
    site = old.get_model("people", "Site").objects.create(name="Yard")
    chart = old.get_model("people", "Chart").objects.create(kind="unit", name="Units", is_main=True)
    units = old.get_model("people", "Unit").objects
    fleet = units.create(chart=chart, name="Fleet", site=site)
    units.create(chart=chart, name="Dunlin", parent=fleet, place=1)
    new = migrated(AFTER)
    branches = new.get_model("people", "UnitBranch").objects.order_by("node__place")
    assert [(b.name, b.parent_id, b.site_id, str(b.from_day), b.to_day, str(b.recorded_on)) for b in branches] == [
        ("Fleet", None, site.pk, "1900-01-01", None, "1900-01-01"),
        ("Dunlin", fleet.pk, None, "1900-01-01", None, "1900-01-01"),
    ]
    back = migrated(BEFORE).get_model("people", "Unit").objects
    assert (back.get(name="Dunlin").parent_id, back.get(name="Fleet").site_id) == (fleet.pk, site.pk)
    back.all().update(parent=None)
    back.all().delete()
    migrated(latest)
