"""A unit administrator sees and changes their part, and nothing beyond it, at every address that takes somebody or something."""

import contextvars

import pytest
from django.core.exceptions import PermissionDenied
from django.urls import reverse

from stepladder import clock
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import AssignmentRule, Reason
from stepladder.charts import actions as charts_actions
from stepladder.core.days import FOREVER
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.people import actions
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.records.board import BoardAsked, board
from stepladder.search import index
from tests import factories as f
from tests.assignments.test_pages import form


@pytest.fixture
def parts(organisation, on, client):
    """Dunlin under Fleet, Osier Point under Shore, an outsider in a second chart; Dora administers Shore."""
    on("2026-05-14")
    f.a_unit("Dunlin", "Fleet")
    f.a_unit("Osier Point", "Shore")
    islands = charts_actions.add_chart(kind="unit", name="Emergency plan", by=f.BY)
    f.a_unit("Holm muster team", chart=islands)
    people = {
        "theirs": f.a_person("Osa Wick", unit="Osier Point"),
        "other": f.a_person("Jun Pellam", unit="Dunlin"),
        "outsider": f.a_person("Ola Dahl", unit="Holm muster team"),
    }
    account = f.an_account("unit administrator", parts=(f.a_unit("Shore"),))
    client.force_login(account)
    return account, people


PERSON_ADDRESSES = [
    ("people:person", "get"),
    ("people:edit", "post"),
    ("people:move", "get"),
    ("people:leave_organisation", "post"),
    ("people:absence", "post"),
    ("assignments:waive", "get"),
    ("records:record", "get"),
]


@pytest.mark.parametrize(("name", "method"), PERSON_ADDRESSES)
def test_every_address_of_a_person_opens_for_the_part_only(parts, client, name, method):
    _, people = parts
    for who, opens in (("theirs", True), ("other", False), ("outsider", False)):
        url = reverse(name, args=[people[who].public_id])
        status = getattr(client, method)(url).status_code
        assert (status != 404) == opens, (name, who, status)


def test_lists_searches_and_boards_hold_the_part_only(parts, client):
    account, people = parts
    assert list(client.get(reverse("people:list"), {"state": "all"}).context["page"].rows) == [people["theirs"]]
    index.rebuild()
    assert {found.title for found in index.find(account, "o")} == {"Osa Wick"}
    assert people_seen(account, "open records") == {people["theirs"].pk}
    f.an_assignment(f.a_course("Fire on board"), f.in_units(f.a_unit("Fleet"), f.a_unit("Shore")))
    made = board(
        BoardAsked(
            day=clock.today(), known_on=clock.today(), chart=f.a_chart(), scope=people_seen(account, "open records")
        )
    )
    assert [(row.name, row.people) for row in made.rows] == [("Shore", 1), ("Osier Point", 1), ("Everyone", 1)]
    rows = client.get(reverse("records:standing")).context["page"].rows
    assert {row.person for row in rows} == {people["theirs"]}
    csv = client.get(reverse("records:standing"), {"as": "csv"}).getvalue().decode()
    assert "Pellam" not in csv


def test_the_chart_shows_their_part_and_cannot_be_changed(parts, client):
    page = client.get(reverse("charts:chart", args=[f.a_chart().pk]))
    assert [row.name for row in page.context["rows"]] == ["Shore", "Osier Point"]
    for unit, status in (("Osier Point", 200), ("Dunlin", 404), ("Holm muster team", 404)):
        node = f.a_unit(unit)
        assert client.get(reverse("charts:node", args=[node.chart_id, node.public_id])).status_code == status
    dunlin = f.a_unit("Dunlin")
    assert client.get(reverse("charts:move_node", args=[dunlin.chart_id, dunlin.public_id])).status_code == 403
    assert client.get(reverse("leads:leads")).status_code == 403


def test_a_leader_from_beyond_the_part_is_named_without_a_link(parts, client):
    _, people = parts
    for leader in (people["other"], f.a_person("Sura Venn", unit="Shore")):
        f.a_lead(person=leader, field="unit", unit=f.a_unit("Osier Point"))
    osier = f.a_unit("Osier Point")
    for url in (
        reverse("people:person", args=[people["theirs"].public_id]),
        reverse("charts:node", args=[osier.chart_id, osier.public_id]),
    ):
        page = client.get(url).content.decode()
        assert "Jun Pellam" in page
        assert reverse("people:person", args=[people["other"].public_id]) not in page
        assert reverse("people:person", args=[Person.objects.get(given_name="Sura").public_id]) in page


def test_nobody_is_placed_outside_the_part_even_past_the_form(parts, client):
    account, people = parts
    sent = {"unit": f.a_unit("Dunlin").pk, "from_day": "2026-05-20", "position": "", "ending": []}
    assert client.post(reverse("people:move", args=[people["theirs"].public_id]), sent).status_code == 403
    with pytest.raises(PermissionDenied, match="outside the part that you administer"):
        actions.move(
            person=people["theirs"],
            unit=f.a_unit("Dunlin"),
            position=None,
            from_day=clock.today(),
            ending=(),
            by=account,
        )
    with pytest.raises(PermissionDenied, match="outside the part that you administer"):
        actions.leave_organisation(person=people["other"], left_on=clock.today(), by=account)
    hired = {
        "given_name": "New",
        "family_name": "Hand",
        "employee_number": "X9",
        "kind": "employee",
        "unit": f.a_unit("Osier Point").pk,
        "hired_on": "2026-06-01",
    }
    assert client.post(reverse("people:hire"), hired).status_code == 302
    assert (
        client.post(reverse("people:hire"), hired | {"unit": sent["unit"], "employee_number": "X8"}).status_code == 403
    )
    assert Person.objects.filter(employee_number__in=["X8", "X9"]).count() == 1


def test_what_they_assign_reaches_nobody_beyond_the_part(parts, client):
    account, people = parts
    everyone = {"in": {"kind": "all", "parts": []}}
    made = f.assigning.assign(
        course=f.a_course("Fire on board"), name="All mine", message="", rule=f.a_rule(everyone), by=account
    )
    assert {r.person for r in Reason.objects.filter(known_to=FOREVER)} == {people["theirs"]}
    assert [part.name for part in made.parts.all()] == ["Shore"]
    with pytest.raises(AssignmentError, match="You cannot assign to Jun Pellam"):
        f.assigning.assign(
            course=made.course,
            name="x",
            message="",
            rule=f.a_rule({"in": None, "named_in": [people["other"].pk]}),
            by=account,
        )
    theirs = f.an_assignment(f.a_course("Radio words"), everyone)
    shown = [row.assignment for row in client.get(reverse("assignments:list")).context["page"].rows]
    assert shown == [made]
    assert client.get(reverse("assignments:assignment", args=[theirs.public_id])).status_code == 404
    beside = f.an_account("unit administrator", parts=(f.a_unit("Shore"),))
    fleet = f.an_account("unit administrator", parts=(f.a_unit("Fleet"),))
    assert (f.may(beside, "assign", made), f.may(fleet, "assign", made)) == (True, False)
    assert AssignmentRule.objects.known_now().count() == 2


def test_whoever_leaves_the_organisation_from_the_part_stays_to_be_read(parts, client):
    _, people = parts
    actions.leave_organisation(person=people["theirs"], left_on=f.d("2026-05-01"), by=f.BY)
    assert client.get(reverse("records:record", args=[people["theirs"].public_id])).status_code == 200
    assert list(client.get(reverse("people:list"), {"state": "left"}).context["page"].rows) == [people["theirs"]]


def test_however_many_others_rank_higher_the_search_finds_ones_own(parts):
    account, _ = parts
    for n in range(170):
        f.a_person(f"Wick Wick{n:02d}", unit="Dunlin", number=f"W{n:02d}")
    assert [found.title for found in index.find(account, "wick")] == ["Osa Wick"]
    assert index.find(account, "wick " * 400 + "osa")[0].title == "Osa Wick"


def test_taking_back_asks_for_what_the_act_was_done_to(parts, client):
    """Whoever has left the part is no longer theirs to change, nor is what was done to them."""
    account, people = parts
    actions.record_leave(person=people["theirs"], from_day=clock.today(), to_day=None, by=account)
    entry = Entry.objects.latest("number")
    placement = people["theirs"].placements.get()
    actions.move(
        person=people["theirs"],
        unit=f.a_unit("Dunlin"),
        position=None,
        from_day=f.d("2026-05-10"),
        ending=[placement],
        by=f.BY,
    )
    back = reverse("records:take_back", args=[entry.number])
    answer = client.post(back)
    assert answer.status_code == 403
    assert "Not all of what it was done to is yours to change any more" in answer.content.decode()
    client.force_login(f.an_account("administrator"))
    assert client.post(back).status_code == 302
    assert not people["theirs"].leaves.filter(revoked_on=None).exists()


def test_an_act_that_is_watched_is_ones_own_whoever_acts_at_the_same_time(parts):
    """Another request records something in between: it is not offered to be taken back as mine."""
    account, people = parts
    with undoing.watched() as seen:
        elsewhere = contextvars.Context()
        days = {"from_day": clock.today(), "to_day": None}
        elsewhere.run(lambda: actions.record_leave(person=people["other"], by=f.BY, **days))
        actions.record_leave(person=people["theirs"], by=account, **days)
    assert Entry.objects.get(number=seen.act).object_id == people["theirs"].public_id


def test_a_script_is_told_to_sign_in_and_a_part_of_a_page_has_its_page_led_there(parts, client):
    client.logout()
    assert client.post(reverse("library:uploads")).status_code == 401
    answer = client.get(
        reverse("people:list"), HTTP_HX_REQUEST="true", HTTP_HX_CURRENT_URL="http://testserver/people/?q=a"
    )
    assert (answer.status_code, answer.headers["HX-Redirect"]) == (401, "/account/sign-in/?next=%2Fpeople%2F")


def test_a_chart_of_positions_counts_the_part_only(parts, client):
    f.a_person("Ada Venn", unit="Dunlin", position="Bosun")
    chart = f.a_chart("position")
    page = client.get(reverse("charts:chart", args=[chart.pk]))
    assert [(row.name, row.placed_here) for row in page.context["rows"]] == [("Deckhand", 1)]
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("charts:chart", args=[chart.pk]))
    assert {(row.name, row.placed_here) for row in page.context["rows"]} == {("Deckhand", 3), ("Bosun", 1)}


def test_who_may_assign_only_does_not_read_how_somebody_stands(parts, client):
    _, people = parts
    lead = f.a_person("Una Finch")
    f.a_lead(person=lead, field="named", named=[people["theirs"]], powers=("assign",))
    client.force_login(f.an_account("learner", person=lead))
    asked = form(f.a_course("Fire"), **{"g0-unit": [], "named_in": [people["theirs"].public_id]})
    effect = client.post(reverse("assignments:effect"), asked)
    assert (effect.context["preview"].now, effect.context["shows_status"]) == (1, False)
    page = effect.content.decode()
    assert "Osa Wick" in page
    assert "How they stand is not yours to read" in page
    assert "to do" not in page
    sheet = client.get(client.post(reverse("assignments:new"), asked).url).content.decode()
    assert "not yours to read" in sheet
    assert "to do" not in sheet
