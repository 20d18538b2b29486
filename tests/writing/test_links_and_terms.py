"""What a release finds beside the words: links that do not answer, key terms for the course, and sections that came later."""

import json

import pytest
from django.urls import reverse

from stepladder.accounts.organisation import forget
from stepladder.courses import actions as courses
from stepladder.learning.actions import begin_step
from stepladder.learning.models import Enrolment, StepDone
from stepladder.learning.queries import course_view
from stepladder.library.fetching import Unanswered
from stepladder.queue.actions import at_once
from stepladder.writing import actions
from stepladder.writing.dead_links import ask_for_links
from stepladder.writing.reading import read_lesson_report, report_lesson
from stepladder.writing.releasing import release_lesson
from tests import factories as f
from tests.writing.drafts import a_lesson, a_released, paragraph, text, tree

pytestmark = pytest.mark.django_db
REPORT = {"seen": ["a"], "at": 1, "seconds": 1}


def words_of(answer):
    return " ".join(answer.content.decode().split())


def test_links_are_asked_whether_they_answer_where_that_is_allowed(client, organisation, monkeypatch):
    link = {"type": "link", "attrs": {"href": "https://gone.example/x"}}
    there = {"type": "link", "attrs": {"href": "https://there.example/"}}
    blocks = [paragraph("See ", text("this", link), " and ", text("that", there), name="b1")]
    lesson = a_lesson("Smoke", ("One", blocks))
    client.force_login(f.an_account("administrator"))
    page = reverse("writing:release", args=[lesson.module.public_id])
    ask = reverse("writing:ask_links", args=[lesson.module.public_id])
    assert "Whether its 2 links answer is not asked here" in words_of(client.get(page))
    client.post(ask)
    assert "Links are not asked here." in words_of(client.get(page))

    def fetch(url, most):
        if "gone" in url:
            raise Unanswered("it says 404")

    monkeypatch.setattr("stepladder.library.fetching.fetch", fetch)
    type(organisation).objects.update(fetches_links=True)
    forget()
    assert "Ask whether its 2 links answer" in words_of(client.get(page))
    with at_once():
        client.post(ask)
    said = words_of(client.get(page))
    assert "“https://gone.example/x” did not answer: it says 404" in said
    assert "there.example" not in said
    # It keeps nobody from releasing, and is gone with the link.
    release_lesson(lesson=lesson, by=f.an_account("administrator"))


def test_many_links_are_asked_piece_by_piece(organisation, monkeypatch):
    asked = []
    monkeypatch.setattr("stepladder.library.fetching.fetch", lambda url, most: asked.append(url))
    type(organisation).objects.update(fetches_links=True)
    forget()
    marks = [{"type": "link", "attrs": {"href": f"https://a.example/{n}"}} for n in range(23)]
    lesson = a_lesson("Smoke", ("One", [paragraph(*(text(f"w{n} ", mark) for n, mark in enumerate(marks)), name="b")]))
    with at_once():
        ask_for_links(lesson=lesson, by=f.an_account("administrator"))
    lesson.refresh_from_db()
    assert (len(asked), len(set(asked)), len(lesson.links), lesson.is_asking_links) == (23, 23, 23, False)


def test_key_terms_stand_on_the_courses_page_each_once(client):
    def term(word, meaning):
        return text(word, {"type": "term", "attrs": {"meaning": meaning}})

    one = a_released(
        "Smoke", ("One", [paragraph(term("Flashover", "All burns at once."), " ", term("bare", ""), name="a")])
    )
    two = a_released(
        "Doors", ("One", [paragraph(term("flashover", "Another."), term("Coaming", "The sill."), name="a")])
    )
    person = f.a_person("Jun Pellam")
    account = f.an_account("learner", person=person)
    f.an_assignment(f.a_course("Fire", [one.module, two.module]))
    client.force_login(account)
    page = words_of(client.get(reverse("playing:course", args=[Enrolment.objects.get().public_id])))
    assert "What the words mean" in page
    assert page.index("<dt>Coaming</dt><dd>The sill.</dd>") < page.index(
        "<dt>Flashover</dt><dd>All burns at once.</dd>"
    )
    assert "Another." not in page


def test_a_section_added_by_a_small_release_is_not_owed_by_who_was_done(client):
    lesson = a_lesson("Smoke", ("One", [paragraph("Words.", name="a")]))
    by = f.an_account("administrator")
    release_lesson(lesson=lesson, by=by)
    person = f.a_person("Jun Pellam")
    f.an_account("learner", person=person)
    course = f.a_course("Fire", [lesson.module, f.a_module("More")])
    f.an_assignment(course)
    place = Enrolment.objects.get()
    attempt = begin_step(enrolment=place, step=place.edition.steps.get(module=lesson.module), by=f.BY)
    report_lesson(attempt=attempt, report=read_lesson_report(json.dumps(REPORT).encode()), by=f.BY)
    assert StepDone.objects.known_now().filter(enrolment=place, module=lesson.module).exists()
    section = actions.add_section(lesson=lesson, by=by)
    actions.save_section(section=section, revision=None, title="Two", tree=tree(paragraph("More.", name="b")), by=by)
    release_lesson(lesson=lesson, by=by)
    courses.new_edition(course=course, by=f.BY)
    step = courses.draft_of(course).steps.get(module=lesson.module)
    courses.edit_step(course=course, step=step, is_obligatory=True, weight=1, take_newest=True, by=f.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=f.BY)
    place.refresh_from_db()
    view = course_view(place)
    assert (place.edition.number, view.progress.done) == (2, 1)
    # Who had not finished it reads the new section as well.
    assert StepDone.objects.known_now().filter(enrolment=place).count() == 1


def test_contrast_is_told_while_one_chooses_and_nothing_is_kept_by_it(client):
    lesson = a_lesson("Smoke")
    client.force_login(f.an_account("administrator"))
    ask = reverse("writing:contrast", args=[lesson.module.public_id])
    told = {paper: words_of(client.get(ask, {"paper": paper, "head_colour": "quiet"})) for paper in ("sheet", "wash")}
    assert "heads on its paper" in told["sheet"]
    assert told["sheet"] != told["wash"]
    assert client.get(ask, {"paper": "sky", "head_colour": "ink"}).status_code == 404
    lesson.refresh_from_db()
    assert lesson.options["head_colour"] == "ink"
