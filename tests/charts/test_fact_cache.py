"""Charts that are kept between requests: read again as soon as something of them is written, and never from what was rolled back."""

import pytest
from django.db import connection, transaction
from django.test.utils import CaptureQueriesContext

from stepladder import clock
from stepladder.charts import actions as charts_actions
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Unit
from stepladder.charts.queries import chart_rows
from stepladder.people import actions
from tests import factories as f

pytestmark = pytest.mark.django_db(transaction=True)


def seen(chart):
    return [(row.name, row.depth, row.placed_below) for row in chart_rows(chart, clock.today())]


def reads(do):
    with CaptureQueriesContext(connection) as queries:
        do()
    return [q["sql"] for q in queries if '"to_day", "people_unitbranch"."name"' in q["sql"]]


def test_a_chart_is_kept_until_it_changes(organisation, on):
    on("2026-05-14")
    fleet = f.a_unit("Fleet")
    dunlin, knot = f.a_unit("Dunlin", parent="Fleet"), f.a_unit("Knot", parent="Fleet")
    chart = fleet.chart
    assert seen(chart) == [("Fleet", 0, 0), ("Dunlin", 1, 0), ("Knot", 1, 0)]
    assert reads(lambda: seen(chart)) == []
    jun = f.a_person("Jun Pellam", unit="Knot")
    assert seen(chart) == [("Fleet", 0, 1), ("Dunlin", 1, 0), ("Knot", 1, 1)]
    charts_actions.move_node(node=knot, under=dunlin, from_day=clock.today(), by=f.BY)
    assert seen(chart) == [("Fleet", 0, 1), ("Dunlin", 1, 1), ("Knot", 2, 1)]
    charts_actions.rename_node(node=knot, name="Red Knot", by=f.BY)
    assert seen(chart)[2] == ("Red Knot", 2, 1)
    f.a_unit("Turnstone", parent="Fleet")
    assert [name for name, *_ in seen(chart)] == ["Fleet", "Dunlin", "Red Knot", "Turnstone"]
    # An order is no fact, and is seen at once all the same.
    charts_actions.order_nodes(chart=chart, node=Unit.objects.get(name="Turnstone"), after=fleet, by=f.BY)
    assert [name for name, *_ in seen(chart)] == ["Fleet", "Turnstone", "Dunlin", "Red Knot"]
    actions.end_placement(placement=jun.placements.get(), to_day=f.d("2026-05-13"), by=f.BY)
    assert seen(chart)[0] == ("Fleet", 0, 0)


def test_what_a_rolled_back_act_wrote_is_not_kept(organisation, on):
    on("2026-05-14")
    dunlin, knot = f.a_unit("Dunlin"), f.a_unit("Knot")
    assert units_tree().parent == {dunlin.pk: None, knot.pk: None}
    with transaction.atomic():
        charts_actions.move_node(node=knot, under=dunlin, from_day=clock.today(), by=f.BY)
        assert units_tree().parent[knot.pk] == dunlin.pk
        transaction.set_rollback(True)
    assert units_tree().parent == {dunlin.pk: None, knot.pk: None}
    # The next act writes rows with the keys of those that were rolled back.
    charts_actions.move_node(node=dunlin, under=knot, from_day=clock.today(), by=f.BY)
    assert units_tree().parent == {dunlin.pk: knot.pk, knot.pk: None}
