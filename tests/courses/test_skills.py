"""Skills: levels, credits, who holds them, and reaches that ask for them. Rules: 3, 4, 10."""

from __future__ import annotations

import pytest
from django.core.exceptions import PermissionDenied
from django.db import transaction
from django.urls import reverse

from stepladder.assignments.checking import differences
from stepladder.assignments.queries import requirements
from stepladder.core.admission import Admission
from stepladder.courses import actions as courses
from stepladder.courses import paths
from stepladder.courses.offers import set_offer
from stepladder.courses.skills import SkillError, add_skill, edit_skill, give_credits, remove_skill
from stepladder.learning import actions as learning
from stepladder.queue.actions import at_once
from stepladder.reaches.reach_forms import form_expresses, sentence_of
from stepladder.records.skills import holders, own_skills
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def deck(organisation, on):
    on("2027-03-01")
    return add_skill(name="Deck work", levels=[("under an eye", 3), ("alone", 2)], by=f.BY)


def complete(person, course, day="2027-02-01"):
    edition = course.editions.get(state="released")
    return learning.record_completion(person=person, course=course, edition=edition, day=f.d(day), by=f.BY)


def test_a_course_gives_no_more_than_a_level_needs_and_a_level_not_less_than_is_given(deck):
    course, (low, _) = f.a_course("Lines"), deck.levels.all()
    with pytest.raises(SkillError, match="Deck work, level 1 needs 3"):
        give_credits(course=course, level=low, credits=4, by=f.BY)
    give_credits(course=course, level=low, credits=3, by=f.BY)
    with pytest.raises(SkillError, match="“Lines” gives 3 credits for level 1"):
        edit_skill(skill=deck, name="Deck work", description="", levels=[("", 2)], revision=None, by=f.BY)
    with pytest.raises(SkillError, match="take those away first"):
        remove_skill(skill=deck, by=f.BY)
    with pytest.raises(SkillError, match="is there already"):
        add_skill(name="deck  WORK", by=f.BY)
    author = f.an_account("author", name="Bo Tarn")
    with pytest.raises(PermissionDenied):
        add_skill(name="Galley", by=author)


def test_a_path_says_what_it_gives_to_its_author_and_to_who_finds_it(deck, media, client):
    low, high = deck.levels.all()
    lines, radio, crowd = f.a_course("Lines"), f.a_course("Radio"), f.a_course("Crowd")
    give_credits(course=lines, level=low, credits=3, by=f.BY)
    give_credits(course=radio, level=high, credits=2, by=f.BY)
    path = paths.create_path(title="On deck", binder=f.a_binder(), by=f.BY)
    stage = paths.StagePlan("Safe", "stand clear", 30, [lines.pk], [radio.pk, crowd.pk], 1)
    paths.edit_path(path=path, revision=path.revision, title="On deck", summary="A watch.", is_in_order=True, by=f.BY)
    paths.change_stages(path=path, stages=[stage], by=f.BY)
    client.force_login(f.an_account("administrator"))
    sheet = page_text(client.get(reverse("courses:path", args=[path.public_id])))
    assert "3 of 3" in sheet
    assert "0 to 2 of 2" in sheet
    paths.release_path(path=path, by=f.BY)
    offer = {"found_by": None, "wish_days": None, "level": "", "language": "", "contact": None, "by": f.BY}
    set_offer(of=path, admission=Admission.OPEN, **offer)
    jun = f.a_person("Jun Pellam")
    client.force_login(f.an_account("learner", person=jun))
    shown = page_text(client.get(reverse("catalogue:thing", args=[path.public_id])))
    assert "Credits: 3 of 3 for Deck work, level 1; 0 to 2 of 2 for Deck work, level 2." in shown


def test_who_holds_a_level_until_when_and_what_is_missing_for_the_next(deck):
    low, high = deck.levels.all()
    lines, radio = f.a_course("Lines", months=6), f.a_course("Radio", months=12)
    other = f.a_course("Lines, as elsewhere", months=12)
    give_credits(course=lines, level=low, credits=2, by=f.BY)
    give_credits(course=radio, level=low, credits=1, by=f.BY)
    give_credits(course=radio, level=high, credits=1, by=f.BY)
    jun, ada, cy = f.a_person("Jun Pellam"), f.a_person("Ada Venn"), f.a_person("Cy Dell")
    for course in (lines, radio):
        complete(jun, course)
    complete(ada, radio)
    # What counts as a course gives none of its credits.
    courses.set_relations(course=lines, prerequisites=[], satisfied_by=[other], by=f.BY)
    complete(cy, other)
    complete(cy, radio)
    today = f.d("2027-03-01")
    (mine,) = own_skills(jun, day=today, known_on=today)
    assert (mine.level, mine.until, mine.next, mine.has) == (low, f.d("2027-08-01"), high, 1)
    (hers,) = own_skills(ada, day=today, known_on=today)
    assert (hers.level, hers.next, hers.has) == (None, low, 1)
    assert not own_skills(jun, day=f.d("2027-01-31"), known_on=today)
    found = holders(deck, day=today, seen=None)
    assert [(row.person, row.level, row.until) for row in found] == [(jun, low, f.d("2027-08-01"))]
    assert not holders(deck, day=f.d("2027-08-02"), seen=None)
    assert not holders(deck, day=today, seen={ada.pk})


def test_a_reach_asks_who_holds_a_level_and_follows_it(deck, on):
    low, _ = deck.levels.all()
    lines, station = f.a_course("Lines", months=6), f.a_course("Running a station")
    give_credits(course=lines, level=low, credits=2, by=f.BY)
    jun = f.a_person("Jun Pellam")
    complete(jun, lines)
    reach = {"in": {"kind": "all", "parts": [{"kind": "skill", "level": low.pk}]}, "named_in": [], "named_out": []}
    assert sentence_of(reach) == "Whoever holds Deck work, level 1."
    assert form_expresses(reach)
    f.an_assignment(station, reach, due_days=400)
    assert not requirements(people=[jun.pk], day=f.d("2027-03-01"), courses=[station.pk])
    on("2027-03-02")
    with transaction.atomic(), at_once():
        give_credits(course=lines, level=low, credits=3, by=f.BY)
    assert requirements(people=[jun.pk], day=f.d("2027-03-02"), courses=[station.pk])
    # When the completion runs out the level does, and with it the reach.
    assert not requirements(people=[jun.pk], day=f.d("2027-08-02"), courses=[station.pk])
    assert not list(differences())


def test_an_assignment_cannot_ask_for_the_skill_that_its_own_course_gives(deck):
    low, _ = deck.levels.all()
    lines = f.a_course("Lines")
    give_credits(course=lines, level=low, credits=3, by=f.BY)
    reach = {"in": {"kind": "skill", "level": low.pk}, "named_in": [], "named_out": []}
    with pytest.raises(Exception, match="the very course it assigns"):
        f.an_assignment(lines, reach)


def test_a_skill_is_made_and_credits_are_given_on_their_sheets(deck, client):
    course = f.a_course("Lines")
    client.force_login(f.an_account("administrator"))
    sent = {"name": "Galley", "description": "", "l1-name": "helps", "l1-credits": "2", "l2-credits": "none"}
    refused = client.post(reverse("courses:new_skill"), sent)
    assert refused.status_code == 422
    assert "how many credits level 2 needs" in refused.content.decode()
    made = client.post(reverse("courses:new_skill"), {**sent, "l2-credits": ""})
    assert made.status_code == 302
    assert "helps" in client.get(made.url).content.decode()
    low = deck.levels.first()
    client.post(reverse("courses:give_credits", args=[course.public_id]), {"level": low.pk, "credits": "9"})
    page = client.get(reverse("courses:course", args=[course.public_id])).content.decode()
    assert "needs 3: a course gives no more than that" in page
    client.post(reverse("courses:give_credits", args=[course.public_id]), {"level": low.pk, "credits": "2"})
    sheet = client.get(reverse("courses:skill", args=[deck.public_id])).content.decode()
    assert "2 of 3" in sheet
