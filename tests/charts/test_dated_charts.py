"""Charts that change on days, and what that does to whom."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.assignments.deriving import derive_reasons
from stepladder.assignments.models import Reason
from stepladder.charts import actions as charts_actions
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.errors import NodeInUse, NotInChartThen, OtherChangePlanned, UnderItself
from stepladder.charts.models import UnitBranch
from stepladder.charts.queries import chart_rows
from stepladder.core.days import FOREVER
from stepladder.journal.queries import problems
from stepladder.people import actions
from stepladder.people.errors import NodeLocked
from stepladder.people.queries import find_people
from stepladder.records.board import BoardAsked, board
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def fleet(organisation, on):
    """Fleet over Dunlin over its galley, and Shore beside it; Jun is aboard the galley."""
    on("2026-05-14")
    f.a_unit("Dunlin", "Fleet")
    f.a_unit("Galley", "Dunlin")
    f.a_unit("Shore")
    return f.a_person("Jun Pellam", unit="Galley")


def moved(node, under, day):
    charts_actions.move_node(node=f.a_unit(node), under=f.a_unit(under) if under else None, from_day=f.d(day), by=f.BY)


def path(node, day):
    return units_tree(f.d(day)).path(f.a_unit(node).pk)


def test_a_move_holds_from_its_day_and_a_past_day_is_seen_as_it_was(fleet):
    moved("Dunlin", "Shore", "2026-06-01")
    assert path("Galley", "2026-05-31") == "Fleet › Dunlin › Galley"
    assert path("Galley", "2026-06-01") == "Shore › Dunlin › Galley"
    assert list(find_people(unit=f.a_unit("Shore"), day=f.d("2026-05-31"))) == []
    assert list(find_people(unit=f.a_unit("Shore"), day=f.d("2026-06-01"))) == [fleet]
    rows = {row.name: row.placed_below for row in chart_rows(f.a_unit("Fleet").chart, f.d("2026-06-01"))}
    assert rows == {"Fleet": 0, "Shore": 1, "Dunlin": 1, "Galley": 1}
    assert list(problems()) == []


def test_the_same_day_twice_and_a_day_between_leave_one_line_of_branches(fleet):
    moved("Dunlin", "Shore", "2026-06-01")
    moved("Dunlin", None, "2026-06-01")
    moved("Dunlin", "Shore", "2026-05-20")
    known = UnitBranch.objects.known_now().filter(node=f.a_unit("Dunlin")).order_by("from_day")
    assert [(b.parent and b.parent.name, str(b.from_day), b.to_day and str(b.to_day)) for b in known] == [
        ("Fleet", "1900-01-01", "2026-05-19"),
        ("Shore", "2026-05-20", "2026-05-31"),
        (None, "2026-06-01", None),
    ]
    assert path("Dunlin", "2026-05-25") == "Shore › Dunlin"


def test_a_node_cannot_hang_under_itself_today_or_by_a_change_that_is_planned(fleet):
    with pytest.raises(
        UnderItself, match=r"Galley stands below Fleet\. Choose one that is not below it; nothing was moved"
    ):
        moved("Fleet", "Galley", "2026-06-01")
    with pytest.raises(UnderItself, match="Fleet cannot hang under itself"):
        moved("Fleet", "Fleet", "2026-06-01")
    moved("Shore", "Galley", "2026-07-01")
    with pytest.raises(OtherChangePlanned, match="Another change is planned for 1 Jul 2026"):
        moved("Fleet", "Shore", "2026-06-01")
    assert path("Fleet", "2026-08-01") == "Fleet"


def test_a_unit_closes_when_nobody_is_there_and_still_shows_on_past_days(fleet):
    galley = f.a_unit("Galley")
    with pytest.raises(NodeInUse, match="After 31 May 2026 1 person is placed there"):
        charts_actions.close_node(node=galley, to_day=f.d("2026-05-31"), by=f.BY)
    with pytest.raises(NodeInUse, match=r"Galley hangs below it\. Move that first, then close Dunlin"):
        charts_actions.close_node(node=f.a_unit("Dunlin"), to_day=f.d("2026-05-31"), by=f.BY)
    actions.end_placement(placement=fleet.placements.get(), to_day=f.d("2026-05-31"), by=f.BY)
    charts_actions.close_node(node=galley, to_day=f.d("2026-05-31"), by=f.BY)
    assert galley.pk in units_tree(f.d("2026-05-31")).parent
    assert galley.pk not in units_tree(f.d("2026-06-01")).parent
    with pytest.raises(NotInChartThen, match="Galley does not stand in the chart on 1 Jul 2026"):
        moved("Galley", "Fleet", "2026-07-01")


def test_a_new_name_shows_from_its_day_on(fleet, on):
    charts_actions.rename_node(node=f.a_unit("Dunlin"), name="Dunlin II", from_day=f.d("2026-06-01"), by=f.BY)
    assert f.a_unit("Dunlin").name == "Dunlin"
    assert path("Galley", "2026-06-01") == "Fleet › Dunlin II › Galley"
    on("2026-06-01")
    assert charts_actions.keep_names_true() == 1
    assert charts_actions.keep_names_true() == 0
    assert f.a_unit("Dunlin II").name == "Dunlin II"
    assert path("Galley", "2026-05-31") == "Fleet › Dunlin › Galley"


def test_a_locked_unit_takes_nobody_but_from_who_manages_the_charts(fleet):
    shore = f.a_unit("Shore")
    charts_actions.lock_node(node=shore, is_locked=True, by=f.BY)
    clerk = f.an_account("unit administrator", parts=(f.a_unit("Fleet"), shore))
    how = {"unit": shore, "position": None, "from_day": f.d("2026-06-01"), "ending": ()}
    with pytest.raises(NodeLocked, match="Shore is locked: only who manages the charts places people there"):
        actions.move(person=fleet, by=clerk, **how)
    actions.move(person=fleet, by=f.an_account("administrator"), **how)
    assert fleet.placements.known_now().count() == 2


def test_people_who_come_under_another_unit_by_its_move_need_what_it_needs(fleet, on):
    course = f.a_course("Fire on board")
    f.an_assignment(course, f.in_units(f.a_unit("Shore")))
    assert not Reason.objects.filter(known_to=FOREVER).exists()
    moved("Dunlin", "Shore", "2026-06-01")
    reason = Reason.objects.get(known_to=FOREVER)
    assert (reason.person, reason.first, reason.due) == (fleet, f.d("2026-06-01"), f.d("2026-07-01"))
    # The board of the day rolls them up as the chart was on it.
    for day, expected in (("2026-05-20", {"Fleet", "Everyone"}), ("2026-06-20", {"Shore", "Everyone"})):
        made = board(BoardAsked(day=f.d(day), known_on=clock.today(), chart=f.a_unit("Fleet").chart))
        assert {row.name for row in made.rows if row.depth == 0} == expected
    on("2026-05-20")
    moved("Dunlin", "Fleet", "2026-06-10")
    kept = [(r.first, r.last, r.known_from, r.known_to) for r in Reason.objects.order_by("known_from")]
    assert kept == [
        (f.d("2026-06-01"), FOREVER, f.d("2026-05-14"), f.d("2026-05-20")),
        (f.d("2026-06-01"), f.d("2026-06-09"), f.d("2026-05-20"), FOREVER),
    ]
    assert [(r.first, r.last, r.known_from, r.known_to) for r in derive_reasons()] == kept
    assert list(problems()) == []


def test_what_a_move_would_do_is_told_first_and_nothing_is_kept(fleet, client):
    client.force_login(f.an_account("administrator"))
    master = f.a_person("Una Finch", unit="Shore", position="Terminal manager")
    f.a_lead("Terminal manager")
    f.an_assignment(f.a_course("Fire on board"), f.in_units(f.a_unit("Shore")))
    dunlin, shore = f.a_unit("Dunlin"), f.a_unit("Shore")
    url = reverse("charts:move_node", args=[dunlin.chart_id, dunlin.public_id])
    assert f'<option value="{dunlin.pk}">' not in page_text(client.get(url))
    waits = page_text(client.post(url, {"under": shore.pk, "from_day": "", "effect": "1"}))
    assert "It stands here once these are given: From." in waits
    waits = page_text(client.post(url, {"under": shore.pk, "from_day": "soon", "effect": "1"}))
    assert "From: “soon” is not a day" in waits
    page = page_text(client.post(url, {"under": shore.pk, "from_day": "2026-06-01", "effect": "1"}))
    assert '<b class="fig">1</b> person answers directly to Una Finch from then on' in page
    assert '<b class="fig">1</b> person comes to need “Fire on board”' in page
    assert path("Dunlin", "2026-06-01") == "Fleet › Dunlin"
    assert Reason.objects.filter(person=master).exists()
    assert not Reason.objects.filter(person=fleet).exists()
    assert "stands below" not in page
    client.post(url, {"under": shore.pk, "from_day": "2026-06-01"})
    assert path("Dunlin", "2026-06-01") == "Shore › Dunlin"
    assert Reason.objects.filter(person=fleet).exists()


def test_a_chart_is_seen_on_any_day_and_its_nodes_have_sheets(fleet, client):
    client.force_login(f.an_account("administrator"))
    moved("Dunlin", "Shore", "2026-05-10")
    dunlin = f.a_unit("Dunlin")
    url = reverse("charts:chart", args=[dunlin.chart_id])
    past = client.get(url, {"on": "2026-05-01"})
    assert [(row.name, row.depth) for row in past.context["rows"]][:2] == [("Fleet", 0), ("Dunlin", 1)]
    assert "as it was on 1 May 2026" in page_text(past)
    assert "chart.js" not in page_text(past)
    sheet = page_text(client.get(reverse("charts:node", args=[dunlin.chart_id, dunlin.public_id])))
    assert "Shore › Dunlin" in sheet
    assert "nobody: a gap" in sheet
    assert client.get(url, {"on": "31/02"}).status_code == 422
    order = reverse("charts:order_nodes", args=[dunlin.chart_id, f.a_unit("Shore").public_id])
    client.post(order, {"after": ""})
    assert client.get(url).context["rows"][0].name == "Shore"
    lock = reverse("charts:lock_node", args=[dunlin.chart_id, dunlin.public_id])
    assert "is locked: only who manages the charts" in page_text(client.post(lock, follow=True))


@pytest.mark.parametrize("count", [5, 40])
def test_a_chart_costs_the_same_number_of_queries_however_wide(
    organisation, client, count, django_assert_max_num_queries
):
    client.force_login(f.an_account("administrator"))
    f.a_lead("Master")
    for n in range(count):
        f.a_person(f"Jun Number{n}", unit=f"Vessel {n}", position="Master")
    with django_assert_max_num_queries(34):
        page = client.get(reverse("charts:chart", args=[f.a_chart().pk]))
    assert len(page.context["rows"]) == count
