"""Why somebody stands so: every kind of condition, day and status, in sentences."""

import pytest
from django.urls import reverse

from stepladder.assignments import actions as assigning
from stepladder.learning.actions import record_completion
from stepladder.people import actions as people
from stepladder.records.why import explain
from tests import factories as f

DAY = "2026-05-14"


@pytest.fixture
def jun(organisation, on):
    on(DAY)
    f.a_unit("Dunlin", "Fleet")
    return f.a_person("Jun Pellam", hired="2026-03-01")


def unit(name, below=True):
    return {"kind": "unit", "unit": f.a_unit(name).pk, "below": below}


def why(person, course, day=DAY):
    return explain(person, course, day=f.d(day), known_on=f.d(DAY))


def conditions(person, course):
    """The conditions of the one reason, indented, with whether each holds."""
    (reason,) = why(person, course).reasons
    return [f"{'  ' * c.depth}{c.text} {'yes' if c.holds else 'no'}" for c in reason.conditions]


def test_each_kind_of_condition_is_a_sentence_with_whether_it_holds(jun):
    basic, course = f.a_course("Basic"), f.a_course("Fire")
    record_completion(person=jun, course=basic, edition=basic.editions.get(), day=f.d("2026-05-01"), by=f.BY)
    position = f.a_position("Deckhand")
    reach = {
        "kind": "all",
        "parts": [
            {"kind": "any", "parts": [unit("Fleet"), unit("Shore")]},
            {"kind": "any", "parts": [{"kind": "position", "position": position.pk}]},
            {"kind": "any", "parts": [{"kind": "hired within", "days": 90}, {"kind": "placed within", "days": 1}]},
            {"kind": "any", "parts": [{"kind": "employment", "value": "employee"}]},
            {"kind": "holds", "course": basic.pk},
            {"kind": "none", "parts": [unit("Shore"), unit("Fleet", below=False)]},
        ],
    }
    f.an_assignment(course, {"in": reach})
    assert conditions(jun, course) == [
        "all of yes",
        "  any of yes",
        "    in Fleet yes",
        "    in Shore no",
        "  Deckhand yes",
        "  any of yes",
        "    hired within 90 days yes",
        "    placed within 1 day no",
        "  employees yes",
        "  holds Basic yes",
        "  none of yes",
        "    in Shore no",
        "    in Fleet itself no",
    ]


def test_who_is_named_is_said_so(jun):
    course = f.a_course("Fire")
    f.an_assignment(course, {"in": {"kind": "any", "parts": [unit("Shore")]}, "named_in": [jun.pk]})
    assert conditions(jun, course) == ["named in it yes"]


@pytest.mark.parametrize(
    ("day", "says"),
    [
        ("2026-05-14", "It is due on 13 Jun 2026."),
        ("2026-06-05", "It is due on 13 Jun 2026, and nothing valid is there yet."),
        ("2026-06-14", "It was due on 13 Jun 2026, and nothing valid is there."),
        ("2026-05-01", "No assignment asks for it on this day."),
    ],
)
def test_what_was_never_done_is_told_by_its_due_day(jun, day, says):
    course = f.a_course("Fire")
    f.an_assignment(course)
    assert why(jun, course, day).description == says


@pytest.mark.parametrize(
    ("day", "says"),
    [
        ("2026-06-01", "The completion counts until 1 May 2027."),
        ("2027-04-20", "It counts until 1 May 2027, and may be renewed now without losing a day."),
        ("2027-05-08", "It counted until 1 May 2027; grace excuses until 11 May 2027."),
        ("2027-05-12", "It counted until 1 May 2027, with grace until 11 May 2027; that is over."),
    ],
)
def test_what_was_done_is_told_by_how_long_it_counts(jun, day, says):
    course = f.a_course("Fire", months=12, window=30, grace=10)
    f.an_assignment(course)
    record_completion(person=jun, course=course, edition=course.editions.get(), day=f.d("2026-05-01"), by=f.BY)
    assert why(jun, course, day).description == says


def test_what_never_runs_out_says_so(jun):
    course = f.a_course("Fire")
    f.an_assignment(course)
    record_completion(person=jun, course=course, edition=course.editions.get(), day=f.d("2026-05-01"), by=f.BY)
    assert why(jun, course).description == "The completion counts for ever."


def test_the_days_of_a_reason_say_what_moved_them(jun, on):
    course = f.a_course("Fire")
    f.an_assignment(course, end=f.d("2026-12-31"), taken_from=f.d("2026-02-01"))
    assigning.grant_waiver(
        person=jun, course=course, from_day=f.d("2026-06-01"), to_day=f.d("2026-06-30"), reason="Ashore", by=f.BY
    )
    found = why(jun, course)
    assert found.reasons[0].days == [
        "Opened on 14 May 2026.",
        "Due on 13 Jun 2026.",
        "A waiver moved that to 14 Jul 2026.",
        "Asked for until 31 Dec 2026.",
        "Only what was taken on or after 1 Feb 2026 counts.",
    ]
    assert why(jun, course, "2026-06-15").description == "A waiver covers this day."
    assert [w.reason for w in found.waivers] == ["Ashore"]


def test_a_short_transfer_and_leave_without_an_end_are_told(jun, on):
    course = f.a_course("Fire")
    f.an_assignment(course, {"in": {"kind": "any", "parts": [unit("Dunlin")]}})
    there = jun.placements.known_now()
    office, clerk = f.a_unit("Office"), f.a_position("Clerk")
    people.move(person=jun, unit=office, position=clerk, from_day=f.d("2026-05-20"), ending=there, by=f.BY)
    back = jun.placements.known_now().filter(unit=office)
    people.move(
        person=jun, unit=f.a_unit("Dunlin"), position=f.a_position(), from_day=f.d("2026-06-01"), ending=back, by=f.BY
    )
    days = why(jun, course, "2026-06-02").reasons[0].days
    assert days[:2] == [
        "Opened on 14 May 2026.",
        "Back on 1 Jun 2026, within 30 days: the old opening and due day stay.",
    ]
    people.record_leave(person=jun, from_day=f.d("2026-06-03"), to_day=None, by=f.BY)
    found = why(jun, course, "2026-06-04")
    assert found.description == "It has no due day yet."
    assert "No due day: a suggestion without one, or leave whose end is not known." in found.reasons[0].days


def test_a_learner_reads_why_in_their_own_words_of_the_page(jun, client):
    course = f.a_course("Fire")
    f.an_assignment(course)
    client.force_login(f.an_account("learner", name=jun.name, person=jun))
    page = client.get(reverse("records:why", args=[jun.public_id, course.public_id])).content.decode()
    assert "It is due on 13 Jun 2026." in page
    assert "Because it matters." in page
    assert 'class="rail"' not in page


def test_an_account_that_is_nobodys_has_no_record_and_is_told_so(organisation, client):
    client.force_login(f.an_account("administrator"))
    answer = client.get(reverse("records:own"))
    assert answer.status_code == 200
    assert "This account is nobody’s among the people here" in answer.content.decode()
