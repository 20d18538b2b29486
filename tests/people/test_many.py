"""One act on many people, and taking it back."""

import pytest
from django.core import mail
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.models import RoleGrant
from stepladder.assignments.models import Reason
from stepladder.charts import actions as charts_actions
from stepladder.core.days import FOREVER
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack, obstacles, take_back
from stepladder.learning.models import Enrolment
from stepladder.people import actions, queries
from stepladder.people.errors import NobodyLeft, RoleNeedsPart
from stepladder.people.models import Person, Placement
from stepladder.records.journal import entry_sheet
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def three(organisation, on):
    on("2026-05-14")
    return [f.a_person(name) for name in ("Ada Venn", "Bea Marsh", "Cal Dahl")]


def where(person, day="2026-06-01"):
    sheet = queries.person_sheet(person, f.d(day))
    return sorted((p.unit.name, p.position.name) for p in sheet.present)


def move(people, by=f.BY, **more):
    return actions.move_many(
        people=people,
        by=by,
        **{
            "unit": f.a_unit("Knot"),
            "position": None,
            "keeps_position": True,
            "from_day": f.d("2026-06-01"),
            "ends_present": True,
            **more,
        },
    )


def test_many_move_in_one_act_and_whoever_does_not_fit_is_named(three):
    actions.leave_organisation(person=three[2], left_on=f.d("2026-05-20"), by=f.BY)
    done = move(three)
    assert (done.count, done.passed_over) == (2, ["Cal Dahl is not employed on that day"])
    assert where(three[0]) == where(three[1]) == [("Knot", "Deckhand")]
    assert move([three[0], f.a_person("Dee Hale")]).passed_over == ["Ada Venn is there already"]
    with pytest.raises(NobodyLeft, match="Nobody chosen fits, so nothing was changed: Cal Dahl is not employed"):
        move([three[2]])
    entry = Entry.objects.get(number=done.act)
    assert (entry.verb, entry.rows.count(), entry.data["count"]) == ("move_many", 6, 2)
    assert list(problems()) == []


def test_what_many_did_is_taken_back_as_one_act_and_the_requirements_with_it(three, on):
    f.an_assignment(f.a_course("Fire on board"), f.in_units(f.a_unit("Knot")))
    done = move(three)
    assert Reason.objects.filter(known_to=FOREVER).count() == 3
    on("2026-05-15")
    take_back(Entry.objects.get(number=done.act), by=f.BY)
    assert [where(p) for p in three] == [[("Dunlin", "Deckhand")]] * 3
    assert not Reason.objects.filter(known_to=FOREVER).exists()
    # What was known on the day before stays known for it.
    assert Placement.objects.known_on(f.d("2026-05-14")).filter(unit__name="Knot").count() == 3
    with pytest.raises(CannotTakeBack, match="Test took it back already"):
        take_back(Entry.objects.get(number=done.act), by=f.BY)
    assert list(problems()) == []


def test_what_something_since_depends_on_is_not_taken_back_and_says_what(three):
    done = move(three)
    later = Placement.objects.known_now().get(person=three[1], unit__name="Knot")
    actions.end_placement(placement=later, to_day=f.d("2026-07-01"), by=f.BY)
    with pytest.raises(
        CannotTakeBack, match="Bea Marsh ended Deckhand, Knot with 1 Jul 2026 since: take that back first"
    ):
        take_back(Entry.objects.get(number=done.act), by=f.BY)
    assert where(three[0]) == [("Knot", "Deckhand")]
    take_back(Entry.objects.get(verb="end_placement"), by=f.BY)
    # The row that came back is another than the one that the move wrote, and stands for it.
    move_of_all = Entry.objects.get(number=done.act)
    assert entry_sheet(move_of_all, f.an_account("administrator")).obstacles == []
    again = Placement.objects.known_now().get(person=three[1], unit__name="Knot")
    actions.end_placement(placement=again, to_day=f.d("2026-08-01"), by=f.BY)
    assert "1 Aug 2026 since: take that back first" in obstacles(move_of_all)[0]
    take_back(Entry.objects.filter(verb="end_placement").latest("number"), by=f.BY)
    take_back(move_of_all, by=f.BY)
    assert where(three[0]) == where(three[1]) == [("Dunlin", "Deckhand")]
    assert list(problems()) == []


def test_a_hiring_is_taken_back_unless_the_person_has_begun_something(three):
    person = f.a_person("Dee Hale", hired="2026-05-10")
    hired = Entry.objects.get(verb="hire", object_id=person.public_id)
    f.an_assignment(f.a_course("Fire on board"))
    Enrolment.objects.filter(person=person).update(begun_at=clock.now())
    with pytest.raises(CannotTakeBack, match="Dee Hale has begun or completed a course since"):
        take_back(hired, by=f.BY)
    Enrolment.objects.filter(person=person).update(begun_at=None)
    take_back(hired, by=f.BY)
    assert queries.person_sheet(person, clock.today()).state == "taken back"
    assert person not in queries.find_people(day=clock.today())
    assert not Reason.objects.filter(person=person, known_to=FOREVER).exists()


def test_leaving_together_shuts_and_taking_it_back_opens_the_sign_ins(three, on):
    account = f.an_account("learner", person=three[0])
    done = actions.leave_many(people=three, left_on=f.d("2026-05-20"), by=f.BY)
    assert [p.to_day for p in Placement.objects.known_now()] == [f.d("2026-05-20")] * 3
    on("2026-05-21")
    assert actions.shut_sign_ins() == 1
    account.refresh_from_db()
    assert not account.is_active
    take_back(Entry.objects.get(number=done.act), by=f.BY)
    account.refresh_from_db()
    assert account.is_active
    assert list(queries.find_people(day=clock.today()).order_by("family_name")) == [three[2], three[1], three[0]]


def test_invitations_go_to_whoever_can_get_one_and_are_taken_back_while_unused(
    three, django_capture_on_commit_callbacks
):
    for person, email in zip(three, ("ada@example.example", "", "cal@example.example"), strict=True):
        person.email = email
        person.save()
    f.an_account("learner", name="Other").__class__.objects.filter(name="Other").update(email="cal@example.example")
    with django_capture_on_commit_callbacks(execute=True):
        done = actions.invite_many(people=three, by=f.BY)
    assert done.passed_over == [
        "Bea Marsh has no e-mail address",
        "Cal Dahl has an e-mail address that somebody else signs in with",
    ]
    assert [letter.to for letter in mail.outbox] == [["ada@example.example"]]
    take_back(Entry.objects.get(number=done.act), by=f.BY)
    assert Person.objects.get(pk=three[0].pk).account is None


def test_a_role_for_many_is_given_and_taken_back(three):
    f.an_account("learner", person=three[0])
    done = actions.give_role_many(people=three, role="instructor", by=f.BY)
    assert done.passed_over[0] == "Bea Marsh has no sign-in yet: invite them first"
    assert RoleGrant.objects.filter(role="instructor").count() == 1
    take_back(Entry.objects.get(number=done.act), by=f.BY)
    assert not RoleGrant.objects.filter(role="instructor").exists()
    with pytest.raises(RoleNeedsPart, match="A unit administrator needs at least one unit"):
        actions.give_role_many(people=three, role="unit administrator", by=f.BY)


def test_the_list_moves_all_who_fit_tells_first_and_offers_the_way_back(three, client):
    client.force_login(f.an_account("administrator"))
    knot = f.a_unit("Knot")
    f.an_assignment(f.a_course("Fire on board"), f.in_units(knot))
    url = reverse("people:many", args=["move"])
    chosen = {"fits": "1", "query": "q=a&state=active"}
    page = page_text(client.post(url, chosen))
    assert "Move 3 people" in page
    sent = chosen | {"unit": knot.pk, "keeps_position": "on", "from_day": "2026-06-01", "ends_present": "on"}
    told = page_text(client.post(url, sent | {"effect": "1"}))
    assert '<b class="fig">3</b> people come to need “Fire on board”' in told
    assert where(three[0]) == [("Dunlin", "Deckhand")]
    done = page_text(client.post(url, sent | {"go": "1"}, follow=True))
    assert "3 moved." in done
    act = Entry.objects.get(verb="move_many").number
    back = reverse("records:take_back", args=[act])
    assert f'action="{back}"' in done
    answer = page_text(client.post(back, {"next": "/people/"}, follow=True))
    assert "It is taken back." in answer
    assert where(three[0]) == [("Dunlin", "Deckhand")]
    assert "took it back already" in page_text(client.post(back, follow=True))
    assert "Nobody is chosen" in page_text(client.post(url, {}))
    assert client.post(reverse("people:many", args=["nothing"]), {}).status_code == 404


@pytest.mark.parametrize("verb", ["end", "leave", "invite", "role", "lead"])
def test_every_verb_has_its_page_with_those_chosen(three, client, verb):
    client.force_login(f.an_account("administrator"))
    url = reverse("leads:lead_many") if verb == "lead" else reverse("people:many", args=[verb])
    page = client.post(url, {"chosen": [three[0].public_id, three[1].public_id]})
    assert page.status_code == 200
    assert "Bea Marsh, Ada Venn" in page_text(page)
    assert client.post(url, {"chosen": [three[0].public_id], "go": "1"}).status_code in (200, 302, 422)


def test_only_who_did_it_or_an_administrator_takes_back(three, client):
    dora = f.an_account("unit administrator", name="Dora Okoro", parts=(f.a_unit(), f.a_unit("Knot")))
    done = move(three, by=dora)
    url = reverse("records:take_back", args=[done.act])
    client.force_login(f.an_account("unit administrator", parts=(f.a_unit(),)))
    assert client.post(url).status_code == 403
    client.force_login(f.an_account("auditor"))
    assert client.post(url).status_code == 403
    assert "There is no way back from here for you" in page_text(client.get(reverse("records:entry", args=[done.act])))
    client.force_login(dora)
    client.post(url)
    assert where(three[0]) == [("Dunlin", "Deckhand")]


def test_the_journal_sheet_finds_by_person_object_verb_and_day_and_shows_before_and_after(three, client, on):
    client.force_login(f.an_account("administrator"))
    done = move(three[:2])
    on("2026-05-20")
    charts_actions.lock_node(node=f.a_unit("Knot"), is_locked=True, by=f.BY)
    url = reverse("records:journal")

    def found(**asked):
        return [line.text for line in client.get(url, asked).context["lines"]]

    assert found(about="2 people") == ["moved to Knot from 1 Jun 2026"]
    assert found(verb="lock_node") == ["locked: only who manages the charts places people there"]
    assert found(**{"from": "2026-05-15"}) == ["locked: only who manages the charts places people there"]
    assert "added to Units" in found(to="2026-05-14", actor="test")
    assert client.get(url, {"from": "31/02"}).status_code == 422
    page = page_text(client.get(reverse("records:entry", args=[done.act])))
    assert "Ada Venn: Deckhand, Dunlin, from 8 Jan 2024" in page
    assert "Ada Venn: Deckhand, Dunlin, from 8 Jan 2024 to 31 May 2026" in page
    assert "Ada Venn: Deckhand, Knot, from 1 Jun 2026" in page
    assert "Take it back" in page


@pytest.mark.parametrize("count", [3, 30])
def test_an_entry_costs_the_same_number_of_queries_however_many_it_moved(
    organisation, on, client, count, django_assert_max_num_queries
):
    on("2026-05-14")
    done = move([f.a_person(f"Jun Number{n}") for n in range(count)])
    client.force_login(f.an_account("administrator"))
    with django_assert_max_num_queries(29):
        page = page_text(client.get(reverse("records:entry", args=[done.act])))
    assert page.count("Deckhand, Knot, from 1 Jun 2026") == count
