"""What stands in somebody's catalogue, in which order, and how it is found. Rule: 14."""

from __future__ import annotations

from datetime import timedelta

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from stepladder import clock, events
from stepladder.catalogue.actions import entering, keeping, passing
from stepladder.catalogue.contents import Asked, contents, found_by_words
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Following
from stepladder.catalogue.things import others_like, things_for
from stepladder.core.admission import Admission
from stepladder.courses import actions as courses
from stepladder.courses.models import Course
from stepladder.courses.offers import offer_alone
from stepladder.courses.topics import set_topics
from stepladder.learning import actions as learning
from stepladder.library.models import Passage
from stepladder.topics.actions import add_topic, remove_topic
from tests import factories as f
from tests.catalogue.test_entering import jun, offered  # noqa: F401

pytestmark = pytest.mark.django_db


def complete(person, course, day="2027-02-10"):
    edition = course.editions.get(state="released")
    return learning.record_completion(person=person, course=course, edition=edition, day=f.d(day), by=f.BY)


def titles(account, **asked):
    return [thing.title for thing in things_for(account, **asked)]


def test_the_catalogue_has_what_is_offered_and_what_one_has(jun):  # noqa: F811
    offered(f.a_course("Open"))
    offered(f.a_course("On asking"), Admission.ON_APPROVAL)
    offered(f.a_course("Theirs"), to=f.in_units(f.a_unit("Catering")))
    offered(f.a_course("Ours"), to=f.in_units(f.a_unit("Dunlin")))
    f.a_course("Assigned only")
    f.an_assignment(f.a_course("Asked of me"))
    f.a_draft("A draft")
    assert set(titles(jun.account)) == {"Open", "On asking", "Ours", "Asked of me"}


def test_things_stand_in_order_and_others_count_from_three_on(jun, on):  # noqa: F811
    made = {name: offered(f.a_course(name)) for name in ("a", "b", "c", "noticed", "passed", "done", "liked")}
    mates = [f.a_person(f"Mate {n}") for n in range(3)]
    for mate in mates:
        complete(mate, made["liked"])
    complete(mates[0], made["b"])
    complete(jun, made["done"])
    complete(f.a_person("Galley hand", position="Cook"), made["c"])
    bo = mates[0]
    f.an_account("learner", name="Bo", person=bo)
    passing.pass_on(person=bo, thing=made["passed"], to=[jun], words="", by=bo.account)
    today = clock.today()
    passing.post(thing=made["noticed"], words="Look.", reach=None, from_day=today, to_day=today, by=f.BY)
    entering.take_up(person=jun, thing=made["c"], by=jun.account)
    place = jun.enrolments.get()
    learning.begin_step(enrolment=place, step=place.edition.steps.get(), by=jun.account)
    assert titles(jun.account) == ["noticed", "passed", "c", "liked", "a", "b", "done"]
    assert others_like(jun, today) == {made["liked"].pk: 3, made["b"].pk: 1, made["done"].pk: 0}
    passing.open_passed(person=jun, thing=made["passed"], by=jun.account)
    on("2027-03-02")
    del jun.account.__dict__["_held_reaches"]
    assert titles(jun.account)[:2] == ["c", "liked"]


def test_lengths_ways_and_chapters_by_what_peers_follow(jun):  # noqa: F811
    deck, yard = add_topic(name="Deck", by=f.BY), add_topic(name="Yard", by=f.BY)
    knots = add_topic(name="Knots", parent=deck, by=f.BY)
    for name, topic in (("Lines", knots), ("Ropes", deck), ("Forklift", yard)):
        set_topics(of=offered(f.a_course(name)), topics=[topic.public_id], by=f.BY)
    offered(f.a_course("Of nothing"))
    shown = contents(jun.account, Asked())
    assert [(c.name, c.total) for c in shown.chapters] == [("Deck", 2), ("Yard", 1), ("Elsewhere", 1)]
    assert (shown.total, shown.short) == (4, 4)
    mate = f.a_person("Mate")
    f.an_account("learner", person=mate)
    keeping.follow(person=mate, topic=yard, is_on=True, by=mate.account)
    shown = contents(jun.account, Asked())
    assert ([c.name for c in shown.chapters], shown.by_peers, shown.total) == (["Yard"], True, 1)
    keeping.follow(person=jun, topic=knots, is_on=True, by=jun.account)
    assert [c.name for c in contents(jun.account, Asked()).chapters] == ["Deck"]
    assert contents(jun.account, Asked(length="30")).total == 0
    kept = Course.objects.get(title="Forklift")
    keeping.keep(person=jun, thing=kept, is_on=True, by=jun.account)
    rows = contents(jun.account, Asked(way="kept")).rows
    assert [thing.title for thing in rows or []] == ["Forklift"]


def test_a_module_by_itself_is_a_thing_and_follows_its_module(jun, client):  # noqa: F811
    module = f.a_module("Words on the deck")
    course = offered(offer_alone(module=module, by=f.BY))
    (thing,) = things_for(jun.account)
    assert (thing.kind, thing.minutes) == ("document", 10)
    client.force_login(jun.account)
    opened = client.post(reverse("catalogue:take_up", args=[course.public_id]))
    assert opened.url == reverse("playing:step", args=[jun.enrolments.get().public_id, module.public_id])
    # Who opened it may rate it; nobody else.
    assert not keeping.may_rate(jun, course)
    place = jun.enrolments.get()
    learning.begin_step(enrolment=place, step=place.edition.steps.get(), by=jun.account)
    # Gone on with, and once it is done, it opens as at first.
    page, link = reverse("catalogue:thing", args=[course.public_id]), f'<a class="btn" href="{opened.url}">Go on</a>'
    assert link in client.get(page).content.decode()
    complete(jun, course, clock.today().isoformat())
    assert f'<a href="{opened.url}">Open it again</a>' in client.get(page).content.decode()
    keeping.rate(person=jun, thing=course, points=4, words="Short.", by=jun.account)
    f.a_version(module, 2)
    module.title = "Words, said better"
    module.save()
    events.announce(events.ModuleProcessed(module.pk), events.Act(clock.today(), f.BY))
    course.refresh_from_db()
    edition = course.editions.get(state="released")
    assert (course.title, edition.number, edition.steps.get().version.number) == ("Words, said better", 2, 2)


def test_a_module_with_much_to_say_is_offered_and_offered_again_after_it_was_withdrawn(jun):  # noqa: F811
    module = f.a_module("Words on the deck")
    module.description = "Say it, hear it said back, then do it. " * 8
    module.save()
    course = offer_alone(module=module, by=f.BY)
    edition = course.editions.get()
    assert len(edition.summary) <= 160
    assert edition.description == module.description
    courses.withdraw_course(course=course, by=f.BY)
    assert not things_for(offered(course) and jun.account)
    again = offer_alone(module=module, by=f.BY)
    assert again == course
    assert titles(jun.account) == ["Words on the deck"]


def test_words_are_found_inside_and_only_in_what_one_may_find(jun):  # noqa: F811
    module = f.a_module("The booklet")
    Passage.objects.create(version=module.versions.get(), place=2, title="", text="Never stand in the bight of a line.")
    mine = offered(f.a_course("Mooring", [module]))
    offered(f.a_course("Bight, for others"), to=f.in_units(f.a_unit("Catering")))
    offered(f.a_course("A bight by name"))
    draft = courses.new_edition(course=mine, by=f.BY)
    courses.edit_edition(course=mine, revision=draft.revision, title="Secret", summary="Hawser", by=f.BY)
    found, instead = found_by_words(jun.account, Asked(text="bight"))
    assert [one.thing.title for one in found] == ["A bight by name", "Mooring"]
    assert found[1].inside is not None
    assert "bight" in found[1].inside.around
    # A draft is nobody's to find; a slip of one letter is.
    assert not found_by_words(jun.account, Asked(text="hawser"))[0]
    near, instead = found_by_words(jun.account, Asked(text="bighd"))
    assert [one.thing.title for one in near] == ["A bight by name", "Mooring"]
    assert instead == ["bight"]


def test_passing_on_is_refused_where_the_other_may_not_find_it(jun, client):  # noqa: F811
    course = offered(f.a_course("Lines"), to=f.in_units(f.a_unit("Dunlin")))
    cook = f.a_person("Cy Dell", unit="Catering", number="C1")
    mate = f.a_person("Mo Reed", number="M1")
    with pytest.raises(CatalogueError, match="Cy Dell may not find “Lines”"):
        passing.pass_on(person=jun, thing=course, to=[mate, cook], words="", by=jun.account)
    client.force_login(jun.account)
    address = reverse("catalogue:pass_on", args=[course.public_id])
    refused = client.post(address, {"to": "c1, M1", "words": "For you both"})
    assert refused.status_code == 422
    assert "For you both" in refused.content.decode()
    assert "is nobody’s name" in client.post(address, {"to": "Nobody Here"}).content.decode()
    assert client.post(address, {"to": "mo reed"}).status_code == 302
    assert client.post(address, {"to": "M1"}).status_code == 302
    assert [row.by for row in mate.passed_to.all()] == [jun]
    assert [n.subject for n in mate.notices.all()] == ["Jun Pellam passes on “Lines”"]
    # To a group that one is in, by its name; of others not even that there is one is told.
    third = f.a_person("Pia Holm")
    f.a_group("First aiders", jun, third)
    f.a_group("Others", cook)
    assert client.post(address, {"to": "first aiders"}).status_code == 302
    assert [row.by for row in third.passed_to.all()] == [jun]
    assert "nor a group of yours" in client.post(address, {"to": "Others"}).content.decode()


def test_who_follows_a_topic_that_is_replaced_follows_the_other(jun):  # noqa: F811
    ropes, knots = add_topic(name="Ropes", by=f.BY), add_topic(name="Knots", by=f.BY)
    ada = f.a_person("Ada Venn")
    for person, topic in ((jun, ropes), (ada, ropes), (ada, knots)):
        keeping.follow(person=person, topic=topic, is_on=True, by=f.BY)
    remove_topic(topic=ropes, instead=knots, by=f.BY)
    assert sorted(Following.objects.values_list("person__given_name", "topic__name")) == [
        ("Ada", "Knots"),
        ("Jun", "Knots"),
    ]


def test_a_rating_is_of_who_did_it_and_its_words_are_the_authors(jun, client):  # noqa: F811
    course = offered(f.a_course("Lines"))
    with pytest.raises(CatalogueError, match="Rate it when you have"):
        keeping.rate(person=jun, thing=course, points=5, words="", by=jun.account)
    people = [jun, *(f.a_person(f"Mate {n}") for n in range(2))]
    for person, points in zip(people, (5, 4, 4), strict=True):
        complete(person, course)
        keeping.rate(person=person, thing=course, points=points, words="Too long.", by=f.BY)
    (thing,) = things_for(jun.account)
    assert thing.rated is not None
    assert (str(thing.rated.mean), thing.rated.raters) == ("4.3", 3)
    keeping.rate(person=jun, thing=course, points=2, words="", by=jun.account)
    assert things_for(jun.account)[0].rated.raters == 3
    client.force_login(people[0].account)
    assert "Too long." not in client.get(reverse("catalogue:thing", args=[course.public_id])).content.decode()
    client.force_login(course.binder.owner)
    assert "Too long." in client.get(reverse("courses:course", args=[course.public_id])).content.decode()


def test_questions_do_not_grow_with_things(jun, client):  # noqa: F811
    def asked() -> int:
        client.force_login(jun.account)
        with CaptureQueriesContext(
            connection,
        ) as found:
            assert client.get(reverse("catalogue:catalogue")).status_code == 200
        return len(found)

    topic = add_topic(name="Deck", by=f.BY)
    for n in range(3):
        set_topics(of=offered(f.a_course(f"Course {n}")), topics=[topic.public_id], by=f.BY)
    before = asked()
    for n in range(3, 12):
        set_topics(of=offered(f.a_course(f"Course {n}")), topics=[topic.public_id], by=f.BY)
    assert asked() <= before


def test_an_hour_to_learn_is_a_file_for_any_calendar(jun, client):  # noqa: F811
    course = offered(f.a_course("Lines"))
    client.force_login(jun.account)
    address = reverse("catalogue:hour", args=[course.public_id])
    answer = client.get(address, {"day": "8 Mar 2027", "at": "14:30", "minutes": "45"})
    assert answer["Content-Type"].startswith("text/calendar")
    body = answer.content.decode()
    assert "SUMMARY:Learning: Lines" in body
    assert "20270308T143000" in body
    assert client.get(address, {"day": "never"}).status_code == 422
    assert clock.today() + timedelta(days=7) == f.d("2027-03-08")
