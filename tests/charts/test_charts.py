"""Units and positions: made, named, and never twice at one place."""

import pytest
from django.urls import reverse

from stepladder.charts import actions
from stepladder.charts.errors import NodeThere
from stepladder.charts.models import Position, Unit
from stepladder.charts.queries import chart_rows
from stepladder.journal.models import Entry
from tests import factories as f


@pytest.fixture
def admin(organisation, client, on):
    on("2026-05-14")
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def tree(chart):
    return [(row.name, row.depth, row.placed_here, row.placed_below) for row in chart_rows(chart, f.d("2026-05-14"))]


def test_a_new_unit_stands_last_below_the_one_chosen(admin, client):
    fleet = f.a_unit("Fleet")
    url = reverse("charts:new_node", args=[fleet.chart_id])
    for name in ("Sandpiper", "Dunlin"):
        answer = client.post(url, {"name": name, "under": fleet.pk}, follow=True)
        assert f"{name} is in the chart." in answer.content.decode()
    client.post(url, {"name": "Shore", "under": ""})
    f.a_person("Jun Pellam", unit="Dunlin")
    assert tree(fleet.chart) == [
        ("Fleet", 0, 0, 1),
        ("Sandpiper", 1, 0, 0),
        ("Dunlin", 1, 1, 1),
        ("Shore", 0, 0, 0),
    ]
    assert Entry.objects.filter(verb="add_node", actor_name="Ines Okoro").count() == 3


def test_one_name_stands_once_at_a_place_and_what_was_typed_is_kept(admin, client):
    fleet = f.a_unit("Fleet")
    url = reverse("charts:new_node", args=[fleet.chart_id])
    answer = client.post(url, {"name": "fleet", "under": ""})
    assert answer.status_code == 422
    page = answer.content.decode()
    assert "There is “fleet” in Units already. Choose another name." in page
    assert 'value="fleet"' in page
    # Below another unit it may stand.
    assert client.post(url, {"name": "Fleet", "under": fleet.pk}).status_code == 302
    below = Unit.objects.get(branches__parent=fleet)
    with pytest.raises(NodeThere, match="There is “Fleet” in Units already"):
        actions.rename_node(node=f.a_unit("Shore"), name="Fleet", by=admin)
    actions.rename_node(node=below, name="fleet", by=admin)
    assert Unit.objects.get(pk=below.pk).name == "fleet"


def test_positions_are_offered_below_positions_of_their_own_chart_only(admin, client):
    master, unit = f.a_position("Master"), f.a_unit("Fleet")
    url = reverse("charts:new_node", args=[master.chart_id])
    page = client.get(url).content.decode()
    assert "New position in Positions" in page
    assert "Master" in page
    assert f'<option value="{unit.pk}">' not in page.replace(f'<option value="{master.pk}">', "")
    client.post(url, {"name": "Chief mate", "under": master.pk})
    assert Position.objects.get(name="Chief mate").branches.get().parent == master
    other = actions.add_chart(kind="position", name="Emergency plan", by=admin)
    elsewhere = actions.add_node(chart=other, under=None, name="Muster lead", by=admin)
    assert client.post(url, {"name": "Bosun", "under": elsewhere.pk}).status_code == 422
    assert client.get(reverse("charts:rename_node", args=[master.chart_id, unit.public_id])).status_code == 404


def test_a_renamed_unit_is_called_so_everywhere_and_the_journal_keeps_both_names(admin, client):
    dunlin = f.a_unit("Dunlin")
    jun = f.a_person("Jun Pellam", unit="Dunlin")
    page = client.get(reverse("people:list"), {"unit": dunlin.public_id}).content.decode()
    assert f'href="{reverse("charts:node", args=[dunlin.chart_id, dunlin.public_id])}"' in page
    url = reverse("charts:rename_node", args=[dunlin.chart_id, dunlin.public_id])
    client.post(url, {"name": "Dunlin II", "from_day": "2026-05-14"})
    assert "Dunlin II" in client.get(reverse("people:person", args=[jun.public_id])).content.decode()
    entry = Entry.objects.get(verb="rename_node")
    assert (entry.data["before"], entry.data["after"]) == ("Dunlin", "Dunlin II")
