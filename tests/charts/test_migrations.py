"""Charts without days are carried into branches with days, and back."""

import pytest

from tests.migrating import migrated, newest

BEFORE, AFTER = ("people", "0001_initial"), ("people", "0004_drop_undated_places")


@pytest.mark.usefixtures("empty_database")
def test_where_each_node_hung_is_a_branch_from_the_beginning():
    # As in an upgrade: what is carried is recorded in the journal of today.
    old = migrated(*newest("journal"), BEFORE)
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
