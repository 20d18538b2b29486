"""The pages of assigning, ending and waiving, as their forms are sent."""

import pytest
from django.urls import reverse

from stepladder.assignments.models import Assignment, AssignmentRule, Reason, Waiver
from stepladder.assignments.queries import requirements
from stepladder.learning.models import Enrolment
from tests import factories as f
from tests.reading import page_text

NEW = reverse("assignments:new")


@pytest.fixture
def admin(organisation, client, on):
    on("2026-05-14")
    account = f.an_account("administrator", name="Ines Okoro")
    client.force_login(account)
    return account


def form(on_course, **more):
    return {
        "course": on_course.public_id,
        "name": "All crews",
        "is_mandatory": "1",
        "start": "2026-05-14",
        "due": "after",
        "due_days": "30",
        "due_after": "opening",
        "notice_days": "14",
        "parts": "1",
        "g0-mode": "any",
        "g0-unit": [str(f.a_unit().pk)],
        "g0-below": "1",
        **more,
    }


def text(answer):
    return page_text(answer)


def status(person):
    found = requirements(people=[person.pk], day=f.d("2026-05-14"))
    return [str(row.requirement.status) for row in found]


@pytest.mark.parametrize(
    ("wrong", "says"),
    [
        ({"due": "day"}, "Say which day."),
        ({"due": "day", "due_day": "2026-05-01"}, "It would be due before it starts. Choose a later day."),
        ({"due": "none"}, "What is mandatory needs a day to be done by."),
        ({"end": "2026-05-01"}, "It would end before it starts. Choose a later end, or none."),
        ({"start": "31/02/2026"}, "“31/02/2026” is not a day. Write a date like 1 Apr 2027"),
        ({"start": "0206-05-14"}, "Choose a day between 1900 and 2999."),
        ({"course": ""}, "This field is required."),
        ({"g0-unit": []}, "This reach names nobody"),
    ],
)
def test_what_is_wrong_is_said_at_its_field_and_nothing_typed_is_lost(admin, client, wrong, says):
    jun = f.a_person("Jun Pellam")
    course = f.a_course("Fire")
    sent = form(course, **wrong, message="The drill is in two weeks.", named_out=[jun.public_id], **{"g0-hired": "77"})
    if "g0-unit" in wrong:
        sent["g0-hired"] = ""
    answer = client.post(NEW, sent)
    assert answer.status_code == 422
    page = text(answer)
    assert says in page
    assert "The drill is in two weeks." in page
    assert 'value="All crews"' in page
    assert "Jun Pellam" in page
    if "g0-unit" not in wrong:
        assert 'value="77"' in page
    assert Assignment.objects.count() == 0


def test_what_is_typed_becomes_the_rule_and_the_sentence_says_it_back(admin, client):
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn", unit="Knot")
    course = f.a_course("Fire")
    sent = form(course, due="end", due_end="quarter", is_one_off="1", named_in=[ada.public_id])
    page = text(client.post(NEW, sent, follow=True))
    assert "“All crews” is assigned. Whoever needs it has been told." in page
    assert "in Dunlin" in page
    assert "one-off: the people of 14 May 2026" in page
    rule = AssignmentRule.objects.get()
    assert (rule.due_trigger, rule.is_one_off, rule.reach["named_in"]) == ("quarter", True, [ada.pk])
    assert {r.person: r.due for r in Reason.objects.all()} == dict.fromkeys((jun, ada), f.d("2026-06-30"))


def test_a_suggestion_may_have_no_day_and_makes_nobody_late(admin, client):
    jun = f.a_person("Jun Pellam")
    client.post(NEW, form(f.a_course("Fire"), is_mandatory="", due="none"))
    assert Reason.objects.get().due is None
    found = requirements(people=[jun.pk], day=f.d("2030-01-01"))[0].requirement
    assert (str(found.status), found.mandatory) == ("to do", False)


def test_ending_closes_what_nothing_else_asks_and_says_so_in_the_list(admin, client):
    jun = f.a_person("Jun Pellam")
    assignment = f.an_assignment(f.a_course("Fire"), start=f.d("2026-05-01"))
    url = reverse("assignments:assignment", args=[assignment.public_id])
    page = text(client.get(url))
    assert 'It asks <b class="fig">1</b> person today.' in page
    end = reverse("assignments:end", args=[assignment.public_id])
    assert "It starts on 1 May 2026: it cannot end before." in text(
        client.post(end, {"end": "2026-04-30"}, follow=True)
    )
    assert "That is no day of the calendar. Nothing was changed." in text(client.post(end, {"end": "x"}, follow=True))
    assert status(jun) == ["to do"]
    page = text(client.post(end, {"end": "2026-05-13"}, follow=True))
    assert "ends." in page
    assert "Nobody today." in page
    assert status(jun) == []
    assert Enrolment.objects.get().closed_on == f.d("2026-05-14")
    assert assignment.name not in text(client.get(reverse("assignments:list")))
    assert assignment.name in text(client.get(reverse("assignments:list"), {"show": "ended"}))


def test_a_waiver_excuses_says_why_and_is_taken_back(admin, client):
    jun = f.a_person("Jun Pellam")
    course = f.a_course("Fire")
    f.an_assignment(course)
    url = reverse("assignments:waive", args=[jun.public_id])
    assert f'<option value="{course.public_id}" selected>' in text(client.get(url, {"course": course.public_id}))
    sent = {"course": course.public_id, "from_day": "2026-05-14", "to_day": "2026-05-01", "reason": "Broken wrist"}
    answer = client.post(url, sent)
    assert answer.status_code == 422
    assert 'value="Broken wrist"' in text(answer)
    assert Waiver.objects.count() == 0
    page = text(client.post(url, sent | {"to_day": "2026-06-30"}, follow=True))
    assert "Jun Pellam is waived." in page
    assert status(jun) == ["waived"]
    waiver = Waiver.objects.get()
    assert (waiver.granted_by, waiver.reason) == ("Ines Okoro", "Broken wrist")
    assert "Broken wrist" in text(client.get(url))
    back = reverse("assignments:revoke_waiver", args=[waiver.public_id])
    assert "The waiver is taken back." in text(client.post(back, follow=True))
    assert status(jun) == ["to do"]
    # Revoked, not gone: it is still what was known on the day.
    waiver.refresh_from_db()
    assert waiver.revoked_on == f.d("2026-05-14")
    assert client.post(back).status_code == 404


def test_further_conditions_and_people_to_name_come_as_parts_of_the_form(admin, client):
    f.a_person("Jun Pellam")
    f.a_person("Juna Vasey")
    part = text(client.get(reverse("reaches:part"), {"number": "2"}))
    assert 'name="g2-mode"' in part
    assert 'name="g5-mode"' in text(client.get(reverse("reaches:part"), {"number": "99"}))
    found = text(client.get(reverse("people:find"), {"naming": "jun", "field": "named_out"}))
    assert found.count('name="named_out"') == 2
    assert 'name="named' not in text(client.get(reverse("people:find"), {"naming": "nobody"}))


def test_two_groups_are_joined_by_all_or_any(admin, client):
    knot_hand = f.a_person("Jun Pellam", unit="Knot", position="Deckhand")
    f.a_person("Ada Venn", unit="Knot", position="Bosun")
    dunlin_hand = f.a_person("Bo Tarn", unit="Dunlin", position="Deckhand")
    course = f.a_course("Fire")
    groups = {
        "parts": "2",
        "g0-unit": [str(f.a_unit("Knot").pk)],
        "g1-mode": "any",
        "g1-position": [str(f.a_position("Deckhand").pk)],
    }
    client.post(NEW, form(course, **groups, join="all"))
    assert {r.person for r in Reason.objects.all()} == {knot_hand}
    client.post(NEW, form(course, **groups, join="any", name="Either"))
    either = Reason.objects.filter(assignment__name="Either")
    assert {r.person.given_name for r in either} == {"Jun", "Ada", "Bo"}
    assert dunlin_hand in {r.person for r in either}


def test_the_same_form_sent_twice_assigns_once(admin, client):
    f.a_person("Jun Pellam")
    sent = form(f.a_course("Fire"), once="a-token-of-this-form")
    first, second = client.post(NEW, sent), client.post(NEW, sent)
    assert first.url == second.url
    assert Assignment.objects.count() == 1


def test_people_chosen_in_the_list_are_named_in_a_new_assignment(admin, client, monkeypatch):
    ada, bea, cal = (f.a_person(name) for name in ("Ada Venn", "Bea Marsh", "Cal Dahl"))
    assert reverse("assignments:new_for") in client.get(reverse("people:list")).content.decode()
    url = reverse("assignments:new_for")
    page = client.post(url, {"chosen": [ada.public_id, cal.public_id]}).content.decode()
    named = [p for p in (ada, bea, cal) if f'name="named_in" value="{p.public_id}" checked' in page]
    assert named == [ada, cal]
    assert f'action="{reverse("assignments:new")}"' in page
    # All who fit the filters that the list had.
    page = client.post(url, {"fits": "1", "query": "q=marsh"}).content.decode()
    assert page.count('name="named_in"') == 1
    assert bea.public_id in page
    assert "Nobody is chosen" in client.post(url, {}, follow=True).content.decode()
    monkeypatch.setattr("stepladder.assignments.views.MOST_NAMED", 2)
    page = client.post(url, {"fits": "1", "query": ""}, follow=True).content.decode()
    assert "people are too many to name: say by conditions whom it reaches." in page
