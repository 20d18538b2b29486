import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.core.sequence import Part
from stepladder.courses import actions, queries
from stepladder.courses.errors import CannotRelease, Circle, CourseError, NotADraft
from stepladder.courses.models import Course, Edition, Path
from stepladder.courses.offers import offer_of
from stepladder.courses.queries import terms_in_words
from stepladder.learning.actions import missing_prerequisites, record_completion
from stepladder.learning.models import Enrolment
from stepladder.library.actions import withdraw_module
from stepladder.library.editing import edit_module
from stepladder.topics.actions import add_topic
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def admin(organisation, client, on):
    on("2026-05-14")
    account = f.an_account("administrator")
    client.force_login(account)
    return account


def release(course, size="small", retake_by=None):
    return actions.release_course(course=course, size=size, retake_by=retake_by, by=f.BY)


def test_a_draft_says_everything_that_is_missing_at_once(admin):
    course = actions.create_course(title="Fire", binder=f.a_binder(), by=f.BY)
    with pytest.raises(CannotRelease, match="“Fire” can’t be released yet: 2 things are missing") as refusal:
        release(course)
    assert refusal.value.missing == [
        "Nothing in it has to be done: add a step that is obligatory.",
        "No summary yet: say in a sentence or two what it is about.",
    ]


def test_a_course_starts_from_a_pattern_that_its_sheet_then_shows(admin, client):
    page, binder = reverse("courses:new"), f.a_binder()
    assert "renewed each year" in page_text(client.get(page))
    client.post(page, {"title": "Fire", "binder": binder.pk, "pattern": "yearly", "once": "a"})
    fire = Course.objects.get(title="Fire")
    assert (fire.editions.get().lowest_score, fire.editions.get().main_order) == (80, "in order")
    assert terms_in_words(fire) == "Done, it counts for 12 months; it may be renewed from 60 days before."
    client.post(page, {"title": "Knots", "binder": binder.pk, "pattern": "choice", "once": "b"})
    knots = Course.objects.get(title="Knots")
    assert (offer_of(knots).admission, terms_in_words(knots)) == ("open", "Done once, it counts for ever.")
    assert "Whoever finds it takes it up themselves" in page_text(
        client.get(reverse("courses:course", args=[knots.public_id]))
    )
    odd = {"title": "Odd", "binder": binder.pk, "pattern": "none of them", "once": "c"}
    assert client.post(page, odd).status_code == 422


def test_topics_and_tags_of_modules_are_taken_over_and_may_be_ones_own(admin, client):
    fire, leaflet = f.a_module("Fire doors"), f.a_module("Leaflet")
    below = add_topic(name="Fire", parent=add_topic(name="Safety", by=f.BY), by=f.BY)
    edit_module(module=fire, revision=None, by=f.BY, topics=[below.public_id], tags=["doors", "steel"])
    course = f.a_draft("Doors", [fire])
    actions.add_steps(course=course, part=Part.MAIN, modules=[leaflet], by=f.BY)
    assert [str(topic) for topic in course.topics.all()] == [str(below)]
    assert {tag.name for tag in course.tags.all()} == {"doors", "steel"}
    page = reverse("courses:course", args=[course.public_id])
    assert "Tags: doors, steel" in page_text(client.get(page))
    topics = reverse("courses:topics", args=[course.public_id])
    client.post(topics, {"topics": [below.public_id], "tags": "Doors; drill,, watertight"})
    assert {tag.name for tag in course.tags.all()} == {"doors", "drill", "watertight"}
    assert "Doors" in page_text(client.get(reverse("search:results") + "?q=watertight"))
    # What is no tag is said, and an older tab that knows of no tags takes none away.
    answer = page_text(client.post(topics, {"tags": "x" * 60}, follow=True))
    assert "is too long for a tag" in answer
    client.post(topics, {"topics": [below.public_id]})
    assert course.tags.count() == 3
    # What was taken away by hand stays away when something else comes in; a copy carries the same.
    actions.add_steps(course=course, part=Part.MAIN, modules=[f.a_module("Drill sheet")], by=f.BY)
    assert "steel" not in {tag.name for tag in course.tags.all()}
    copy = actions.copy_course(course=course, title="Doors, ashore", binder=course.binder, by=f.BY)
    assert {tag.name for tag in copy.tags.all()} == {"doors", "drill", "watertight"}


def test_a_withdrawn_module_holds_the_release_up(admin):
    module = f.a_module("Old leaflet")
    course = f.a_draft("Fire", [module])
    withdraw_module(module=module, by=f.BY)
    with pytest.raises(CannotRelease, match="“Old leaflet” is withdrawn"):
        release(course)


def test_what_is_released_stays_as_it_is_and_a_change_is_a_new_edition(admin):
    course = f.a_course("Fire")
    first = course.editions.get()
    with pytest.raises(NotADraft, match="Make a new edition to change it"):
        actions.add_steps(course=course, part=Part.MAIN, modules=[f.a_module("New")], by=f.BY)
    draft = actions.new_edition(course=course, by=f.BY)
    assert actions.new_edition(course=course, by=f.BY) == draft
    assert (draft.number, draft.steps.count()) == (2, 1)
    actions.edit_edition(course=course, revision=None, title="Fire on board", by=f.BY)
    course.refresh_from_db()
    assert course.title == "Fire"
    release(course)
    course.refresh_from_db()
    first.refresh_from_db()
    assert (course.title, first.state) == ("Fire on board", Edition.State.SUPERSEDED)


def test_a_renamed_module_keeps_its_title_in_what_is_released_until_the_next_edition(admin, client):
    module = f.a_module("The drill")
    course = f.a_course("Fire", [module])
    edit_module(module=module, revision=None, title="The drill, on deck", description="", minutes=5, tags=[], by=f.BY)
    sheet = reverse("courses:course", args=[course.public_id])
    assert "The drill, on deck" not in page_text(client.get(sheet))
    actions.new_edition(course=course, by=f.BY)
    assert "The drill, on deck" in page_text(client.get(sheet))
    assert "The drill, on deck" not in page_text(client.get(sheet + "?edition=released"))
    release(course)
    assert "The drill, on deck" in page_text(client.get(sheet))


def test_what_one_can_do_afterwards_is_a_sentence_that_learners_read(admin, client):
    course = f.a_draft("Fire", [f.a_module("The drill")])
    form = {"title": "Fire", "summary": "What to do.", "outcome": "raise the\nalarm.", "preparation_order": "any order"}
    form |= {
        "main_order": "in order",
        "optional_owed": 0,
        "lowest_score": "",
        "revision": course.editions.get().revision,
    }
    answer = client.post(reverse("courses:edit", args=[course.public_id]), form)
    assert answer.status_code < 400
    release(course)
    assert "After it one can raise the alarm." in page_text(
        client.get(reverse("courses:course", args=[course.public_id]))
    )


def test_a_new_obligatory_step_asks_for_a_large_release(admin):
    course = f.a_course("Fire")
    actions.new_edition(course=course, by=f.BY)
    actions.add_steps(course=course, part=Part.MAIN, modules=[f.a_module("Drill")], by=f.BY)
    with pytest.raises(CourseError, match="“Drill” is a new obligatory step, so this is a large release"):
        release(course)
    assert release(course, "large").number == 2


def test_the_retake_day_must_be_to_come(admin):
    course = f.a_course("Fire")
    actions.new_edition(course=course, by=f.BY)
    with pytest.raises(CourseError, match="The day to retake it by has passed"):
        release(course, "large", f.d("2026-05-13"))


def test_circles_of_prerequisites_and_equivalents_are_named(admin):
    a, b, c = (f.a_course(t) for t in ("Alpha", "Beta", "Gamma"))

    def relate(course, first=(), same=()):
        actions.set_relations(course=course, prerequisites=list(first), satisfied_by=list(same), by=f.BY)

    relate(b, first=[a])
    relate(c, first=[b])
    with pytest.raises(Circle, match="“Alpha” → “Gamma” → “Beta” → “Alpha”"):
        relate(a, first=[c])
    assert list(a.prerequisites.all()) == []
    relate(a, same=[b])
    with pytest.raises(Circle, match="round in a circle"):
        relate(b, same=[a])


def test_what_comes_first_may_be_renewed_by_what_comes_after_it(admin):
    """A circle over an equivalent is no dead end: the basics open the advanced course, and that counts as the basics ever after."""
    basics, advanced = f.a_course("Basics", months=12), f.a_course("Advanced", months=12)
    actions.set_relations(course=advanced, prerequisites=[basics], satisfied_by=[], by=f.BY)
    actions.set_relations(course=basics, prerequisites=[], satisfied_by=[advanced], by=f.BY)
    jun = f.a_person("Jun Pellam")
    assert missing_prerequisites(jun, advanced) == ["Basics"]
    record_completion(person=jun, course=advanced, edition=advanced.editions.get(), day=clock.today(), by=f.BY)
    assert missing_prerequisites(jun, advanced) == []


def test_a_circle_is_said_at_its_field(admin, client):
    a, b = f.a_course("Alpha"), f.a_course("Beta")
    actions.set_relations(course=b, prerequisites=[a], satisfied_by=[], by=f.BY)
    page = client.post(
        reverse("courses:prerequisites", args=[a.public_id]), {"prerequisites": [b.public_id]}
    ).content.decode()
    assert "“Alpha” → “Beta” → “Alpha”. Leave one of them out." in page


def test_an_equivalent_that_lasts_less_long_is_warned_of(admin, client):
    a, b = f.a_course("Alpha", months=24), f.a_course("Beta", months=12)
    url = reverse("courses:prerequisites", args=[a.public_id])
    page = client.post(url, {"satisfied_by": [b.public_id]}, follow=True).content.decode()
    assert "“Beta” is valid for less long than “Alpha”" in page


def test_a_renewal_window_as_long_as_the_validity_is_refused(admin, client):
    course = f.a_draft()
    data = {"lasts": "months", "count": "2", "window_days": "60", "grace_days": "0", "from_day": "2026-05-14"}
    page = client.post(reverse("courses:terms", args=[course.public_id]), data)
    assert page.status_code == 422
    assert "must be shorter than the validity" in page.content.decode()
    assert (
        client.post(reverse("courses:terms", args=[course.public_id]), data | {"window_days": "30"}).status_code == 302
    )
    assert (queries.terms_on(course).validity.months, queries.terms_on(course).window_days) == (2, 30)


def test_steps_are_picked_ordered_changed_and_taken_out(admin, client):
    course = f.a_draft("Fire", [f.a_module(t) for t in ("One", "Two")])
    three = f.a_module("Three")
    url = [course.public_id]
    page = client.get(reverse("courses:pick", args=url), {"q": "thr"}).content.decode()
    assert "Three" in page
    assert "Two" not in page
    client.post(reverse("courses:add_steps", args=url), {"part": "preparation", "module": [three.public_id]})
    client.post(reverse("courses:add_steps", args=url), {"part": "main", "module": [three.public_id]})
    steps = {s.module.title: s for s in course.editions.get().steps.select_related("module")}
    assert len(steps) == 3
    order = [f"{steps['Two'].pk}:preparation", f"{steps['Three'].pk}:preparation", f"{steps['One'].pk}:main"]
    client.post(reverse("courses:order_steps", args=url), {"step": order})
    assert [(s.module.title, s.part) for s in course.editions.get().steps.select_related("module")] == [
        ("Two", "preparation"),
        ("Three", "preparation"),
        ("One", "main"),
    ]
    shown = queries.course_sheet(course).parts
    assert [view.step.module.title for part in shown for view in part.steps] == ["Two", "Three", "One"]
    client.post(reverse("courses:edit_step", args=[*url, steps["Two"].pk]), {"optional": "1"})
    client.post(reverse("courses:remove_step", args=[*url, steps["Three"].pk]))
    assert [(s.module.title, s.is_obligatory) for s in course.editions.get().steps.select_related("module")] == [
        ("Two", False),
        ("One", True),
    ]
    answer = client.post(reverse("courses:order_steps", args=url), {"step": order})
    assert "changed by somebody else in the meantime" in answer.headers["HX-Trigger-After-Swap"]


def test_a_draft_takes_a_modules_newer_version_when_asked(admin, client):
    module = f.a_module("Muster list")
    course = f.a_course("Fire", [module])
    f.a_version(module, 2)
    actions.new_edition(course=course, by=f.BY)
    step = actions.draft_of(course).steps.get()
    assert step.version.number == 1
    client.post(reverse("courses:edit_step", args=[course.public_id, step.pk]), {"newest": "1"})
    assert actions.draft_of(course).steps.get().version.number == 2


def test_the_release_says_first_what_it_would_do(admin, client):
    course = f.a_course("Fire")
    for name in ("Jun Pellam", "Ada Venn"):
        f.a_person(name)
    f.an_assignment(course)
    begun = Enrolment.objects.first()
    Enrolment.objects.filter(pk=begun.pk).update(begun_at="2026-05-14T10:00Z")
    actions.new_edition(course=course, by=f.BY)
    page = page_text(client.get(reverse("courses:release", args=[course.public_id])))
    assert '<span class="fig">1</span> person goes on in the new edition' in page
    assert '<span class="fig">1</span> person finishes on the old edition' in page
    assert '<span class="fig">1</span> person gets the new edition' in page
    client.post(reverse("courses:release", args=[course.public_id]), {"size": "large"})
    assert dict(Enrolment.objects.values_list("pk", "edition__number"))[begun.pk] == 1
    assert Enrolment.objects.filter(edition__number=2).count() == 1


def test_only_editors_of_the_binder_change_or_release_its_courses(organisation, client):
    owner, other = f.an_account("author"), f.an_account("author")
    course = f.a_draft("Fire", binder=f.a_binder("Deck", owner))
    client.force_login(other)
    answer = client.post(reverse("courses:release", args=[course.public_id]), {"size": "small"})
    assert answer.status_code == 403
    assert "Only editors of this course’s binder" in answer.content.decode()
    client.force_login(owner)
    client.post(reverse("courses:release", args=[course.public_id]), {"size": "small"})
    assert Course.objects.get().state == "released"


def test_the_release_says_how_many_would_have_to_take_it_again(admin, client):
    course = f.a_course("Fire", months=12)
    for name in ("Jun Pellam", "Ada Venn"):
        person = f.a_person(name)
        record_completion(person=person, course=course, edition=course.editions.get(), day=f.d("2026-04-01"), by=f.BY)
    actions.new_edition(course=course, by=f.BY)
    page = client.get(reverse("courses:release", args=[course.public_id])).content.decode()
    assert '<span class="fig">2</span> people who have it keep it until it expires' in page
    typed = {"size": "large", "retake_by": "2026-06-30"}
    page = client.post(reverse("courses:release_effect", args=[course.public_id]), typed).content.decode()
    assert '<span class="fig">2</span> people who have it must take it again by 30 Jun 2026' in page
    client.post(reverse("courses:release", args=[course.public_id]), typed)
    assert course.editions.get(number=2).retake_by == f.d("2026-06-30")


def test_a_draft_is_dropped_and_a_course_withdrawn_and_what_was_completed_stays(admin, client):
    course = f.a_course("Fire")
    person = f.a_person("Jun Pellam")
    done = record_completion(
        person=person, course=course, edition=course.editions.get(), day=f.d("2026-04-01"), by=f.BY
    )
    url = [course.public_id]
    client.post(reverse("courses:new_edition", args=url))
    client.post(reverse("courses:discard", args=url))
    assert [e.number for e in course.editions.all()] == [1]
    page = client.post(reverse("courses:withdraw", args=url), follow=True).content.decode()
    assert "is withdrawn. What was completed stays." in page
    assert list(person.completions.known_now()) == [done]


def test_the_draft_of_a_course_never_released_is_not_dropped(admin, client):
    course = f.a_draft("Fire")
    page = client.post(reverse("courses:discard", args=[course.public_id]), follow=True).content.decode()
    assert "This course was never released: it is its draft." in page
    assert course.editions.count() == 1


def test_a_copy_is_a_draft_like_the_newest_edition_and_proves_nothing_yet(admin, client):
    first, second = f.a_module("Lines"), f.a_module("Knots")
    ground = f.a_course("On deck", [f.a_module("Deck")])
    course = f.a_course("Mooring lines", [first, second], months=24)
    actions.set_relations(course=course, prerequisites=[ground], satisfied_by=[ground], by=f.BY)
    asked = client.get(reverse("courses:new"), {"like": course.public_id})
    assert asked.context["form"].initial["title"] == "Mooring lines, copy"
    address = f"{reverse('courses:new')}?like={course.public_id}"
    client.post(address, {"title": "Mooring lines, night", "binder": course.binder_id})
    made = Course.objects.get(title="Mooring lines, night")
    draft = made.editions.get()
    assert (made.state, draft.state, draft.title) == ("draft", "draft", "Mooring lines, night")
    assert [step.module for step in draft.steps.all()] == [first, second]
    assert queries.terms_on(made) == queries.terms_on(course)
    assert queries.terms_on(made).expires
    assert list(made.prerequisites.all()) == [ground]
    assert not made.satisfied_by.exists()
    path = Path.objects.create(
        title="On board", binder=course.binder, stages=[{"title": "One", "courses": [course.pk]}]
    )
    client.post(f"{reverse('courses:new_path')}?like={path.public_id}", {"title": "Ashore", "binder": path.binder_id})
    assert Path.objects.get(title="Ashore").stages == path.stages


def test_a_steps_module_is_opened_and_leads_back_to_that_step(admin, client):
    course = f.a_course("Alpha")
    step = course.editions.get().steps.get()
    sheet = reverse("courses:course", args=[course.public_id])
    link = reverse("library:module", args=[step.module.public_id]) + f"?back={sheet}%23step-{step.pk}"
    page = page_text(client.get(sheet))
    assert link in page
    assert f'id="step-{step.pk}"' in page
    assert f'href="{sheet}#step-{step.pk}">Back to the step' in page_text(client.get(link))
    # Nowhere else.
    away = reverse("library:module", args=[step.module.public_id]) + "?back=https://elsewhere.example/"
    assert "Back to the step" not in page_text(client.get(away))
