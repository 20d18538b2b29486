"""Leads: who answers to whom, by which lead, on any day; and who may do what for it."""

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.assignments.errors import AssignmentError
from stepladder.core.leads import Power
from stepladder.courses.skills import add_skill, give_credits
from stepladder.leads import actions as leads_actions
from stepladder.leads import queries
from stepladder.leads.errors import LeadIncomplete, LeadOverOneself
from stepladder.leads.models import Lead
from stepladder.leads.queries import asked_of
from stepladder.learning.actions import record_completion
from stepladder.people import actions
from stepladder.people.actions import record_leave
from stepladder.people.errors import DaysInWrongOrder
from stepladder.people.models import Person
from stepladder.reaches import actions as reaches_actions
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def dunlin(organisation, on):
    """Two masters and a deckhand on Dunlin, a superintendent for the fleet, and a clerk ashore."""
    on("2026-05-14")
    f.a_unit("Dunlin", "Fleet")
    people = {
        "mara": f.a_person("Mara Venn", position="Master"),
        "milo": f.a_person("Milo Tarn", position="Master"),
        "jun": f.a_person("Jun Pellam", position="Deckhand"),
        "finn": f.a_person("Finn Hale", unit="Fleet", position="Superintendent"),
        "cleo": f.a_person("Cleo Marsh", unit="Shore", position="Clerk"),
    }
    f.a_lead("Master", powers=("see records", "assign"))
    f.a_lead(person=people["finn"], field="unit", unit=f.a_unit("Fleet"), powers=("approve",))
    return people


def answers(person, day="2026-05-14"):
    return [
        ([p.name for p in line.leaders], line.direct, line.by) for line in queries.whom_they_answer_to(person, f.d(day))
    ]


def test_lines_name_who_how_and_by_which_lead(dunlin):
    assert answers(dunlin["jun"]) == [
        (["Milo Tarn", "Mara Venn"], True, "Master, for the unit they are placed in, and below"),
        (["Finn Hale"], False, "Finn Hale, for Fleet, and below"),
    ]
    assert answers(dunlin["mara"]) == [(["Finn Hale"], True, "Finn Hale, for Fleet, and below")]
    assert answers(dunlin["cleo"]) == []
    assert asked_of(dunlin["jun"], Power.APPROVE, clock.today()) == [dunlin["finn"]]


def test_a_lead_holds_on_its_days_and_with_whoever_is_placed_then(dunlin):
    lead = Lead.objects.known_now().get(holder_position__isnull=False)
    leads_actions.end_lead(lead=lead, to_day=f.d("2026-05-31"), by=f.BY)
    actions.end_placement(placement=dunlin["milo"].placements.get(), to_day=f.d("2026-05-20"), by=f.BY)
    assert [names for names, *_ in answers(dunlin["jun"], "2026-05-21")] == [["Mara Venn"], ["Finn Hale"]]
    assert answers(dunlin["jun"], "2026-06-01") == [(["Finn Hale"], True, "Finn Hale, for Fleet, and below")]
    with pytest.raises(DaysInWrongOrder):
        leads_actions.end_lead(lead=Lead.objects.known_now().first(), to_day=f.d("2019-01-01"), by=f.BY)


def test_a_lead_by_a_group_follows_the_group(dunlin):
    f.a_lead(person=dunlin["cleo"], field="named", group=f.a_group("First aiders", dunlin["jun"], dunlin["finn"]))
    assert (["Cleo Marsh"], True, "Cleo Marsh, for the group First aiders") in answers(dunlin["jun"])
    group = Lead.objects.get(group__isnull=False).group
    reach = {"in": None, "named_in": [dunlin["finn"].pk], "named_out": []}
    reaches_actions.change_group(group=group, revision=None, name=group.name, note="", reach=reach, by=f.BY)
    assert [row.person for row in queries.led_by(dunlin["cleo"], clock.today())] == [dunlin["finn"].pk]


@pytest.mark.django_db(transaction=True)
def test_who_answers_to_somebody_is_kept_only_while_it_is_true(organisation, on):
    on("2026-05-14")
    master, deck = f.a_person("Mara Venn", position="Master"), f.a_person("Jun Pellam")
    today = clock.today()

    def led():
        team = [row.person for row in queries.led_by(master, today)]
        return {person.given_name for person in Person.objects.filter(pk__in=team)}

    assert led() == set()
    lead = f.a_lead("Master")
    assert led() == {"Jun"}
    f.a_person("Ada Tarn")
    assert led() == {"Jun", "Ada"}
    actions.leave_organisation(person=deck, left_on=f.d("2026-05-13"), by=f.BY)
    assert led() == {"Ada"}
    assert {person.given_name for person in queries.gaps(today).people} == {"Mara"}
    leads_actions.end_lead(lead=lead, to_day=f.d("2026-05-13"), by=f.BY)
    assert led() == set()
    assert {person.given_name for person in queries.gaps(today).people} == {"Mara", "Ada"}


@pytest.mark.parametrize(
    ("wrong", "says", "error"),
    [
        ({"holder_person": None}, "Say who holds it: a position, or a person by name, not both", LeadIncomplete),
        ({"field": "unit"}, "Say which unit", LeadIncomplete),
        ({"named": []}, "Name at least one person, or a group", LeadIncomplete),
        ({"to_day": "2026-05-01"}, "1 May 2026 is before 14 May 2026", DaysInWrongOrder),
        ({"named": ["mara"]}, "Mara Venn would answer to themself. Take them out of the people named", LeadOverOneself),
    ],
)
def test_leads_that_say_nothing_or_too_much_are_refused(dunlin, wrong, says, error):
    asked = {"holder_person": dunlin["mara"], "holder_position": None, "field": "named", "named": ["jun"]} | wrong
    asked["named"] = [dunlin[name] for name in asked["named"]]
    if "to_day" in asked:
        asked["to_day"] = f.d(asked["to_day"])
    with pytest.raises(error, match=says):
        leads_actions.give_lead(powers=("sign off",), from_day=clock.today(), by=f.BY, **asked)


def test_gaps_are_units_that_nobody_leads_and_people_who_answer_to_nobody(dunlin, client):
    found = queries.gaps(clock.today())
    assert [(unit.name, count) for unit, count in found.units] == [("Shore", 1)]
    assert list(found.people) == [dunlin["finn"], dunlin["cleo"]]
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("leads:leads")).content.decode()
    assert "Units that nobody leads" in page
    assert "Shore" in page
    assert "Cleo" in client.get(reverse("leads:gaps")).content.decode()


def test_a_lead_is_made_and_ended_by_its_pages_and_its_effect_is_told_first(dunlin, client):
    client.force_login(f.an_account("administrator"))
    sent = {
        "holder_person": dunlin["cleo"].public_id,
        "field": "unit",
        "unit": f.a_unit("Fleet").pk,
        "powers": ["see records"],
        "from_day": "2026-05-20",
    }
    told = client.post(reverse("leads:new_lead"), sent | {"effect": "1"}).content.decode()
    # Mara, Milo and Finn, who led the fleet alone: the deckhand answers to the masters first.
    assert '<b class="fig">2</b> people answer directly to Cleo Marsh from then on' in told
    assert Lead.objects.count() == 2
    page = client.post(reverse("leads:new_lead"), sent, follow=True).content.decode()
    assert "Cleo Marsh, for Fleet, and below: it holds." in page
    lead = Lead.objects.known_now().get(holder_person=dunlin["cleo"])
    client.post(reverse("leads:end_lead", args=[lead.public_id]), {"to_day": "2026-06-30"})
    assert Lead.objects.known_now().get(holder_person=dunlin["cleo"]).to_day == f.d("2026-06-30")
    again = client.post(reverse("leads:new_lead"), sent | {"holder_person": [p.public_id for p in dunlin.values()]})
    assert "Name one person. For several, make a lead each." in again.content.decode()


def test_whoever_holds_a_lead_is_a_manager_while_they_hold_it(dunlin, on):
    mara, cleo = (f.an_account("learner", person=dunlin[name]) for name in ("mara", "cleo"))
    assert policy.roles_of(mara) == {"learner", "manager"}
    assert policy.roles_of(cleo) == {"learner"}
    actions.leave_organisation(person=dunlin["mara"], left_on=f.d("2026-05-20"), by=f.BY)
    on("2026-05-21")
    assert policy.roles_of(type(mara).objects.get(pk=mara.pk)) == {"learner"}
    with pytest.raises(ValueError, match="Not granted"):
        f.an_account("manager")


def test_a_manager_sees_and_assigns_to_whom_the_lead_gives_the_power_for(dunlin, client):
    mara = f.an_account("learner", person=dunlin["mara"])
    finn = f.an_account("learner", person=dunlin["finn"])
    everybody = Person.objects.all()
    assert set(policy.visible(mara, "read records", everybody)) == {dunlin["mara"], dunlin["jun"]}
    # Who leads the same unit does not answer; a lead without the power shows nobody.
    assert set(policy.visible(mara, "assign", everybody)) == {dunlin["jun"]}
    assert set(policy.visible(finn, "open records", everybody)) == set()
    client.force_login(mara)
    for person, status in (("jun", 200), ("milo", 404), ("cleo", 404)):
        assert client.get(reverse("records:record", args=[dunlin[person].public_id])).status_code == status
    course = f.a_course("Fire on board")
    made = f.assigning.assign(
        course=course, name="Mine", message="", rule=f.a_rule({"in": None, "named_in": [dunlin["jun"].pk]}), by=mara
    )
    assert policy.may(mara, "assign", made)
    assert not policy.may(finn, "assign", made)
    for reach, says in (
        ({"in": None, "named_in": [dunlin["cleo"].pk]}, "You cannot assign to Cleo Marsh"),
        (f.in_units(f.a_unit()), "As a manager you assign to people by name"),
    ):
        with pytest.raises(AssignmentError, match=says):
            f.assigning.assign(course=course, name="Not mine", message="", rule=f.a_rule(reach), by=mara)


def test_the_team_page_shows_who_is_late_with_filters(dunlin, client, on):
    f.an_assignment(f.a_course("Fire on board"), start=f.d("2026-05-14"), due_days=0, notice_days=0)
    on("2026-06-14")
    client.force_login(f.an_account("learner", person=dunlin["mara"]))
    assert client.get("/").url == reverse("desk:team")
    page = client.get(reverse("desk:team"))
    assert [(row.person.name, len(row.late), row.direct) for row in page.context["page"].rows] == [
        ("Jun Pellam", 1, True)
    ]
    assert "Fire on board" in page.content.decode()
    client.force_login(f.an_account("learner", person=dunlin["finn"]))
    page = client.get(reverse("desk:team"))
    assert {row.person.name for row in page.context["page"].rows} == {"Mara Venn", "Milo Tarn", "Jun Pellam"}
    assert "your lead does not let you see their records" in page.content.decode()
    direct = client.get(reverse("desk:team"), {"direct": "1"}).context["page"].rows
    assert {row.person.name for row in direct} == {"Mara Venn", "Milo Tarn"}
    assert client.get(reverse("desk:team"), {"late": "1"}).context["page"].rows == []


def test_a_team_is_sorted_narrowed_to_what_is_new_and_shown_by_course(dunlin, client, on):
    fire, crowd = f.a_course("Fire on board"), f.a_course("Crowd")
    f.an_assignment(fire, start=f.d("2026-05-14"), due_days=30, notice_days=0)
    f.an_assignment(crowd, start=f.d("2026-05-14"), due_days=60, notice_days=0)
    client.force_login(f.an_account("learner", person=dunlin["milo"]))
    f.a_person("Ansel Bright", position="Deckhand", unit="Dunlin")
    ansel = Person.objects.get(family_name="Bright")

    def names(**asked):
        return [row.person.given_name for row in client.get(reverse("desk:team"), asked).context["page"].rows]

    team = names(sort="name")
    assert names(sort="-name") == team[::-1]
    assert set(names(new="1")) == set(team)
    on("2026-06-10")
    assert names(new="1") == []
    edition = fire.editions.get(state="released")
    record_completion(person=ansel, course=fire, edition=edition, day=f.d("2026-06-09"), by=f.BY)
    assert (names(new="1"), names(sort="done")[0]) == (["Ansel"], "Ansel")
    assert "done 9 Jun 2026: Fire on board" in page_text(client.get(reverse("desk:team"), {"new": "1"}))
    on("2026-06-16")
    page = client.get(reverse("desk:team"), {"by": "course"})
    rows = [(row.course.title, row.asked, row.late, row.soon) for row in page.context["page"].rows]
    asked = len(team)
    assert rows == [("Fire on board", asked, asked - 1, 0), ("Crowd", asked, 0, 0)]
    late = [row.strip.words for row in page.context["page"].rows]
    assert "13 Jun 2026" in late[0]
    change = page.context["change"]
    assert (change.then, change.late_then, change.late_now, change.completed) == (f.d("2026-05-16"), 0, asked - 1, 1)


def test_a_team_page_tells_who_is_away_which_skills_are_held_and_how_the_months_went(dunlin, client, on):
    jun, mara, cleo = (dunlin[name] for name in ("jun", "mara", "cleo"))
    skill = add_skill(name="Deck work", levels=[("under an eye", 1), ("alone", 1)], by=f.BY)
    lines = f.a_course("Lines", months=6)
    give_credits(course=lines, level=skill.levels.first(), credits=1, by=f.BY)
    client.force_login(f.an_account("learner", person=mara))
    address = reverse("desk:team")
    for absent in ("Who is away", "Skills of your team", "They ask for"):
        assert absent not in page_text(client.get(address))
    edition = lines.editions.get(state="released")
    for person in (jun, cleo):
        record_completion(person=person, course=lines, edition=edition, day=f.d("2026-05-10"), by=f.BY)
        record_leave(person=person, from_day=f.d("2026-05-20"), to_day=f.d("2026-06-01"), by=f.BY)
    page = page_text(client.get(address))
    away = page[page.index("Who is away") :][:400]
    assert "<b>Jun Pellam</b> from 20 May 2026, until 1 Jun 2026" in away
    # Cleo does not answer to Mara.
    assert "Cleo" not in page
    assert '<b class="fig">1</b> under an eye' in page
    on("2026-05-25")
    assert "<b>Jun Pellam</b> now, until 1 Jun 2026" in page_text(client.get(address))
    block = reverse("reports:ready_block", args=["covered"])
    assert block in page
    f.an_assignment(lines, start=f.d("2026-05-14"))
    shown = page_text(client.get(block, headers={"HX-Request": "true"}))
    assert "100 %" in shown
    assert client.get(reverse("reports:ready_block", args=["watched"])).status_code == 404
    # Of a lead who may not see records there is nothing of them.
    client.force_login(f.an_account("learner", person=dunlin["finn"]))
    page = page_text(client.get(address))
    assert "Who is away" in page
    assert "Skills of your team" not in page
    assert block not in page


def test_who_lapses_this_week_is_late_since_grace_ended(dunlin, client, on):
    fire = f.a_course("Fire on board", months=1, window=5, grace=14)
    on("2026-06-02")
    f.an_assignment(fire, start=f.d("2026-06-02"), due_days=10, notice_days=0)
    jun, edition = dunlin["jun"], fire.editions.get(state="released")
    record_completion(person=jun, course=fire, edition=edition, day=f.d("2026-06-02"), by=f.BY)
    client.force_login(f.an_account("learner", person=dunlin["mara"]))

    def line(day):
        on(day)
        (row,) = client.get(reverse("desk:team")).context["page"].rows
        return row

    # Valid to 2 Jul, in grace to the 16th: until then nothing of it is late, and that is the day it is needed by.
    in_grace = line("2026-07-10")
    assert (in_grace.late, in_grace.news, in_grace.strip.words) == ([], [], "Fire on board, 16 Jul 2026")
    assert line("2026-07-18").news == [("late", "Fire on board", f.d("2026-07-16"))]


@pytest.mark.parametrize("count", [5, 40])
def test_a_team_costs_the_same_number_of_queries_however_large(
    organisation, client, count, on, django_assert_max_num_queries
):
    on("2026-05-14")
    master = f.a_person("Mara Venn", position="Master")
    f.a_lead("Master")
    for n in range(count):
        f.a_person(f"Jun Number{n}")
    f.an_assignment(f.a_course("Fire on board"))
    client.force_login(f.an_account("learner", person=master))
    with django_assert_max_num_queries(75):
        page = client.get(reverse("desk:team"))
    assert page.context["page"].total == count


def test_people_are_found_by_whether_they_lead_and_are_placed(dunlin, client):
    client.force_login(f.an_account("administrator"))
    actions.end_placement(placement=dunlin["cleo"].placements.get(), to_day=f.d("2026-05-01"), by=f.BY)

    def found(who):
        page = client.get(reverse("people:list"), {"who": who})
        return [person.given_name for person in page.context["page"].rows]

    assert found("who lead somebody") == ["Finn", "Milo", "Mara"]
    assert found("with a lead by name") == ["Finn"]
    assert found("without a placement") == ["Cleo"]
    assert set(found("with a placement")) == {"Mara", "Milo", "Jun", "Finn"}
    assert len(found("whatever")) == 5
