from datetime import date, timedelta

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.charts import actions as charts_actions
from stepladder.journal.queries import problems
from stepladder.people import actions, queries
from stepladder.people.errors import AlreadyPlaced, DaysInWrongOrder, EndsBeforeItBegins, NumberTaken, OutsideEmployment
from stepladder.people.models import Employment, Person, Placement
from stepladder.people.name_order import names
from stepladder.reaches.stored import load_people, load_world, parse, sentence
from tests import factories as f


@pytest.fixture
def jun(organisation, on):
    on("2026-05-14")
    return f.a_person("Jun Pellam")


def move(person, unit="Knot", day="2026-05-20", **more):
    ending = Placement.objects.known_now().filter(person=person, to_day=None)
    return actions.move(
        person=person,
        unit=f.a_unit(unit),
        position=f.a_position(),
        from_day=f.d(day),
        by=f.BY,
        **{"ending": ending, **more},
    )


def test_a_move_ends_what_was_the_day_before_and_keeps_what_was_known(jun):
    move(jun)
    sheet = queries.person_sheet(jun, f.d("2026-05-14"))
    assert [(p.unit.name, p.to_day) for p in sheet.present] == [("Dunlin", f.d("2026-05-19"))]
    assert [p.unit.name for p in sheet.to_come] == ["Knot"]
    assert Placement.objects.filter(person=jun, revoked_on=f.d("2026-05-14"), to_day=None).count() == 1


def test_a_number_is_never_used_again(jun):
    actions.leave_organisation(person=jun, left_on=f.d("2026-05-01"), by=f.BY)
    with pytest.raises(NumberTaken, match=r"is Jun Pellam’s number\. Numbers are never used again"):
        actions.hire(
            employee_number=jun.employee_number.lower(),
            given_name="Ada",
            family_name="Venn",
            hired_on=f.d("2026-06-01"),
            unit=f.a_unit(),
            position=None,
            by=f.BY,
        )


def test_days_in_the_wrong_order_are_refused(jun):
    with pytest.raises(DaysInWrongOrder, match="1 Jan 2023 is before 8 Jan 2024, when it begins"):
        actions.end_placement(placement=jun.placements.get(), to_day=f.d("2023-01-01"), by=f.BY)
    with pytest.raises(DaysInWrongOrder):
        actions.leave_organisation(person=jun, left_on=f.d("2023-01-01"), by=f.BY)
    with pytest.raises(DaysInWrongOrder):
        actions.record_leave(person=jun, from_day=f.d("2026-02-02"), to_day=f.d("2026-02-01"), by=f.BY)
    with pytest.raises(OutsideEmployment, match="Hired on 8 Jan 2024"):
        move(jun, day="2023-06-01")
    with pytest.raises(
        EndsBeforeItBegins, match=r"Deckhand, Dunlin begins on 8 Jan 2024 .* Choose 9 Jan 2024 or a later"
    ):
        move(jun, day="2024-01-08")


def test_nobody_is_in_one_place_twice(jun):
    with pytest.raises(AlreadyPlaced, match="Already there: Deckhand, Dunlin since 8 Jan 2024"):
        move(jun, unit="Dunlin", ending=())


def test_leaving_ends_placements_and_the_sign_in(jun):
    account = f.an_account("learner", person=jun)
    move(jun, day="2026-06-20")
    actions.leave_organisation(person=jun, left_on=f.d("2026-05-13"), by=f.BY)
    account.refresh_from_db()
    assert not account.is_active
    assert [p.to_day for p in Placement.objects.known_now().filter(person=jun)] == [f.d("2026-05-13")]
    assert Employment.objects.known_now().get(person=jun).left_on == f.d("2026-05-13")
    assert list(problems()) == []


def test_the_list_finds_by_name_number_unit_and_state(jun):
    ada = f.a_person("Ada Venn", unit="Osier Point", position="Clerk", hired="2026-06-01")
    day = clock.today()
    # As one types it, and as lists show it.
    assert list(queries.find_people(text="pell ju", day=day)) == [jun]
    assert list(queries.find_people(text="Pellam, Jun", day=day)) == [jun]
    assert names().found_by("Pellam, Jun") == [jun.pk]
    assert list(queries.find_people(text=jun.employee_number, day=day)) == [jun]
    assert list(queries.find_people(state="to come", day=day)) == [ada]
    charts_actions.move_node(node=f.a_unit("Dunlin"), under=f.a_unit("Fleet"), from_day=day, by=f.BY)
    assert list(queries.find_people(unit=f.a_unit("Fleet"), day=day)) == [jun]


@pytest.mark.parametrize("count", [5, 30])
def test_the_list_costs_the_same_number_of_queries_however_long(
    organisation, client, count, django_assert_max_num_queries
):
    client.force_login(f.an_account("administrator"))
    for n in range(count):
        f.a_person(f"Jun Number{n}")
    with django_assert_max_num_queries(22):
        assert client.get(reverse("people:list")).content.decode().count("Number") >= count


def test_an_error_stands_at_its_field_and_nothing_entered_is_lost(jun, client):
    client.force_login(f.an_account("administrator"))
    data = {
        "given_name": "Ada",
        "family_name": "Venn",
        "employee_number": jun.employee_number,
        "kind": "employee",
        "unit": f.a_unit().pk,
        "hired_on": "2026-02-31",
    }
    page = client.post(reverse("people:hire"), data).content.decode()
    assert "“2026-02-31” is not a day" in page
    page = client.post(reverse("people:hire"), data | {"hired_on": "2026-06-01"}).content.decode()
    assert "Numbers are never used again" in page
    assert 'value="Venn"' in page
    assert Person.objects.count() == 1


def test_the_same_form_sent_twice_hires_once(jun, client):
    client.force_login(f.an_account("administrator"))
    data = {
        "given_name": "Ada",
        "family_name": "Venn",
        "employee_number": "X1",
        "kind": "employee",
        "unit": f.a_unit().pk,
        "hired_on": "2026-06-01",
        "once": "token-of-the-form",
    }
    first, second = client.post(reverse("people:hire"), data), client.post(reverse("people:hire"), data)
    assert first.url == second.url
    assert Person.objects.count() == 2


def test_two_people_saving_the_same_sheet_are_shown_both_versions(jun, client):
    client.force_login(f.an_account("administrator", name="Ines Okoro"))
    url = reverse("people:edit", args=[jun.public_id])
    mine = {"given_name": "Jun", "family_name": "Pellam", "email": "mine@example.example", "revision": jun.revision}
    assert client.post(url, mine | {"email": "first@example.example"}).status_code == 200
    answer = client.post(url, mine)
    assert answer.status_code == 409
    page = answer.content.decode()
    assert "Ines Okoro changed this sheet in the meantime" in page
    assert "first@example.example" in page
    assert "mine@example.example" in page
    assert Person.objects.get().email == "first@example.example"
    assert client.post(url, mine | {"overwrite": "1"}).status_code == 200
    assert Person.objects.get().email == "mine@example.example"


def test_a_stored_reach_reads_as_a_sentence_and_finds_its_people(jun):
    stored = {
        "in": {
            "kind": "all",
            "parts": [
                {"kind": "any", "parts": [{"kind": "unit", "unit": f.a_unit().pk}]},
                {"kind": "none", "parts": [{"kind": "hired within", "days": 90}]},
            ],
        }
    }
    reach = parse(stored)
    assert sentence(reach.condition, load_world(), courses={}) == "in Dunlin; not hired within 90 days"
    facts = load_people(reaches=[reach], world=load_world(), known_on=clock.today())
    assert [p.key for p in facts] == [jun.pk]
    assert facts[0].placements[0].days.first == f.d("2024-01-08")
    assert load_people(reaches=[reach], world=load_world(), known_on=date(2024, 1, 1) - timedelta(days=9000)) == []


def test_moving_ending_and_leaving_by_their_pages(jun, client):
    client.force_login(f.an_account("administrator"))
    knot = f.a_unit("Knot")
    placed = jun.placements.get()
    move_url = reverse("people:move", args=[jun.public_id])
    assert "Deckhand, Dunlin" in client.get(move_url).content.decode()
    client.post(move_url, {"unit": knot.pk, "from_day": "2026-05-20", "ending": [placed.public_id]})
    assert [p.unit for p in queries.person_sheet(jun, f.d("2026-05-20")).present] == [knot]
    new = Placement.objects.known_now().get(person=jun, unit=knot)
    end_url = reverse("people:end_placement", args=[jun.public_id, new.public_id])
    assert "is before 20 May 2026" in client.post(end_url, {"to_day": "2026-05-01"}).content.decode()
    client.post(end_url, {"to_day": "2026-06-30"})
    assert Placement.objects.known_now().get(person=jun, unit=knot).to_day == f.d("2026-06-30")
    page = client.post(
        reverse("people:leave_organisation", args=[jun.public_id]), {"left_on": "2026-07-31"}, follow=True
    )
    assert "last day 31 Jul 2026" in page.content.decode()


def test_the_charts_count_each_person_once_in_every_node(jun, client):
    client.force_login(f.an_account("administrator"))
    knot = f.a_unit("Knot", "Fleet")
    actions.move(person=jun, unit=knot, position=None, from_day=f.d("2026-05-14"), ending=(), by=f.BY)
    page = client.get(reverse("charts:charts"), follow=True)
    units = {row.name: (row.depth, row.placed_here, row.placed_below) for row in page.context["rows"]}
    assert units == {"Dunlin": (0, 1, 1), "Fleet": (0, 0, 1), "Knot": (1, 1, 1)}


def test_what_another_system_calls_somebody_is_kept_and_is_nobody_elses(jun, client):
    client.force_login(f.an_account("administrator"))
    sheet = {"given_name": "Jun", "family_name": "Pellam", "email": "", "outside_id": "pay-7", "overwrite": "1"}
    assert client.post(reverse("people:edit", args=[jun.public_id]), sheet).status_code == 200
    assert Person.objects.get(outside_id="pay-7") == jun
    ada, bo = f.a_person("Ada Venn"), f.a_person("Bo Tarn")
    refused = client.post(reverse("people:edit", args=[ada.public_id]), sheet | {"given_name": "Ada"})
    assert (refused.status_code, "Somebody else has this identifier" in refused.headers["HX-Trigger"]) == (422, True)
    for person in (ada, bo):
        url = reverse("people:edit", args=[person.public_id])
        assert client.post(url, sheet | {"outside_id": " "}).status_code == 200
    assert Person.objects.filter(outside_id=None).count() == 2
