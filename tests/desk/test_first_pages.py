import pytest
from django.urls import reverse

from stepladder.desk.queries import desk_lines, first_steps
from stepladder.desk.up_next import up_next
from stepladder.journal.models import Entry
from stepladder.learning.actions import record_completion
from stepladder.learning.models import Enrolment
from stepladder.library.models import Upload
from stepladder.people.actions import invite_many
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def admin(organisation, on):
    on("2026-05-14")
    return f.an_account("administrator")


def says(account):
    return {line.text: (line.count, line.is_urgent) for line in desk_lines(account)}


def test_the_desk_says_what_waits_and_nothing_that_does_not(admin):
    assert says(admin) == {}
    f.a_draft("Fire")
    upload = Upload.objects.create(
        account=admin, binder=f.a_binder(), file_name="a.zip", size=1, state="refused", message="Cut off."
    )
    assert says(admin) == {
        "course draft not released yet": (1, False),
        "upload could not be used, and says why": (1, True),
    }
    upload.is_dismissed = True
    upload.save()
    assert "upload could not be used, and says why" not in says(admin)


def test_late_people_and_what_runs_out_lead_to_their_lists(admin, on, client):
    course = f.a_course("Fire", months=12)
    ada, bo = f.a_person("Ada Venn"), f.a_person("Bo Tarn")
    f.an_assignment(course)
    record_completion(person=ada, course=course, edition=course.editions.get(), day=f.d("2025-07-01"), by=f.BY)
    on("2026-06-20")
    lines = desk_lines(admin)
    assert [(line.count, line.text) for line in lines] == [
        (1, "person is late with something mandatory"),
        (1, "completion runs out within 30 days"),
    ]
    assert [line.detail for line in lines] == ["Fire 1", "Ada Venn, Fire, in 11 days"]
    client.force_login(admin)
    assert [r.person for r in client.get(lines[0].url).context["page"].rows] == [bo]
    assert [r.person for r in client.get(lines[1].url).context["page"].rows] == [ada]


def test_who_starts_soon_stands_on_the_desk_with_the_first_three_by_name(admin, client):
    for n, name in enumerate(("Cy Lund", "Di Marr", "Ed Noor", "Fi Orr")):
        f.a_person(name, hired=f"2026-05-{20 + n}")
    f.a_person("Gus Pell", hired="2026-05-29")
    (line,) = desk_lines(admin)
    assert (line.count, line.text) == (4, "people start within 14 days")
    assert line.detail == "Cy Lund, 20 May 2026 · Di Marr, 21 May 2026 · Ed Noor, 22 May 2026 · and 1 more"
    client.force_login(admin)
    assert [p.family_name for p in client.get(line.url).context["page"].rows][:2] == ["Lund", "Marr"]


def test_the_first_steps_tick_themselves_off_and_say_what_comes_next(admin, client):
    client.force_login(admin)
    assert [step.done for step in first_steps(admin)] == [False] * 6
    assert client.get(reverse("desk:desk")).context["next_step"].text == "Bring your people in from a file"
    people = [f.a_person("Jun Pellam", email="jun@marram.example"), f.a_person("Ada Venn")]
    f.an_assignment(f.a_course("Fire"), f.in_units(f.a_unit()))
    assert [step.done for step in first_steps(admin)] == [True, True, True, True, False, False]
    assert client.get(reverse("desk:desk")).context["next_step"].text == "Invite them to sign in"
    invite_many(people=people, by=f.BY)
    assert client.get(reverse("desk:desk")).context["next_step"].url == reverse("records:board")


def test_up_next_says_what_by_when_why_and_how_long(admin, on, client):
    jun = f.a_person("Jun Pellam")
    for title, days in (("Late", 10), ("Soon", 20), ("Renewal", 30)):
        f.an_assignment(f.a_course(title, months=12, window=60), due_days=days, notice_days=0)
    renewal = jun.enrolments.get(course__title="Renewal")
    record_completion(person=jun, course=renewal.course, edition=renewal.edition, day=f.d("2025-06-30"), by=f.BY)
    on("2026-05-27")
    found = up_next(jun)
    assert [(t.view.enrolment.course.title, t.description) for t in found.things] == [
        ("Late", "3 days late · was due Sun 24 May 2026"),
        ("Soon", "due Wed 3 Jun 2026 · in 7 days"),
        ("Renewal", "valid to 30 Jun 2026 · renew any day now, nothing is lost"),
    ]
    assert (found.minutes, found.late) == (30, 1)
    client.force_login(f.an_account("learner", person=jun))
    page = page_text(client.get(reverse("desk:up_next")))
    assert "3 things, about 30 min." in page
    assert "All of them: Late: Because it matters." in page


@pytest.mark.parametrize("count", [1, 8])
def test_up_next_costs_the_same_number_of_queries(admin, client, count, django_assert_max_num_queries):
    jun = f.a_person("Jun Pellam")
    for n in range(count):
        f.an_assignment(f.a_course(f"Course {n}"))
    client.force_login(f.an_account("learner", person=jun))
    with django_assert_max_num_queries(29):
        page = page_text(client.get(reverse("desk:up_next")))
    assert page.count('class="next-first"') + page.count('class="next-thing"') == count


def test_an_account_that_is_nobodys_is_told_so(organisation, client):
    client.force_login(f.an_account("learner"))
    assert "This account is nobody’s among the people here" in page_text(client.get(reverse("desk:up_next")))


def test_a_draft_is_seen_as_a_learner_would_and_nothing_is_kept(admin, client):
    client.force_login(admin)
    draft = f.a_draft("Fire")
    page = page_text(client.get(reverse("desk:try_course", args=[draft.public_id])))
    assert "once it is released; until then they don’t" in page
    assert "Fire, the booklet" in page


def test_a_course_is_looked_at_as_somebody_real_has_it_and_that_is_written_down(organisation, media, on, client):
    on("2027-03-01")
    lines, fire = f.a_course("Lines"), f.a_course("Fire")
    fire.prerequisites.add(lines)
    jun = f.a_person("Jun Pellam")
    f.an_assignment(fire)
    client.force_login(f.an_account("administrator"))
    address = reverse("desk:try_as", args=[fire.public_id])
    page = page_text(client.post(address, {"who": jun.public_id}))
    assert "First comes “Lines”." in page
    assert "due 31 Mar 2027" in page
    entry = Entry.objects.latest("number")
    assert (entry.verb, entry.object_name, entry.data) == ("look_as", "Jun Pellam", {"course": "Fire"})
    # Nobody's record but of those whom one may read, and none of it is changed by looking.
    assert Enrolment.objects.get().begun_at is None
    client.force_login(f.an_account("author"))
    assert client.post(address, {"who": jun.public_id}).status_code in (302, 403)
    assert Entry.objects.filter(verb="look_as").count() == 1
