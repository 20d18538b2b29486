import pytest
from django.urls import reverse

from stepladder.journal.models import Entry
from stepladder.notices.models import Notice
from tests import factories as f

REMIND = reverse("records:remind")


@pytest.fixture
def late(organisation, on, client):
    on("2026-03-01")
    course = f.a_course("Fire")
    people = [f.a_person(n) for n in ("Ada Venn", "Bo Tarn", "Cleo Wick")]
    f.an_assignment(course, start=f.d("2026-03-01"))
    on("2026-05-14")
    client.force_login(f.an_account("administrator"))
    return course, people


def test_chosen_people_are_told_again_once(late, client):
    course, people = late
    page = client.get(reverse("records:late")).content.decode()
    assert page.count("data-tick ") == 3
    rows = [f"{p.public_id}:{course.public_id}" for p in people[:2]]
    answer = client.post(REMIND, {"row": [*rows, "nobody:nothing"], "once": "a"}, follow=True)
    assert "2 reminders on the way." in answer.content.decode()
    client.post(REMIND, {"row": rows, "once": "a"})
    told = Notice.objects.filter(kind="reminder")
    assert sorted(n.person.name for n in told) == ["Ada Venn", "Bo Tarn"]
    assert {n.subject for n in told} == {"Reminder: “Fire” was to be done by 31 Mar 2026"}
    assert Entry.objects.get(verb="remind").data["count"] == 2
    # Once a day is enough, whatever page it is asked on.
    again = client.post(REMIND, {"row": rows, "once": "b"}, follow=True)
    assert "0 reminders on the way. 2 left out: reminded today already" in again.content.decode()
    assert told.count() == 2


def test_several_courses_make_one_reminder(late, client):
    course, (ada, *_) = late
    other = f.a_course("Lines")
    f.an_assignment(other, start=f.d("2026-05-01"))
    rows = [f"{ada.public_id}:{one.public_id}" for one in (course, other)]
    client.post(REMIND, {"row": rows, "once": "a"})
    told = Notice.objects.get(kind="reminder")
    assert told.subject == "Reminder: 2 courses wait for you"
    assert "- “Fire” was to be done by 31 Mar 2026\n- “Lines” is to be done by 31 May 2026" in told.text
    assert told.path == reverse("desk:up_next")


def test_an_auditor_sees_the_list_but_reminds_nobody(late, client):
    course, people = late
    client.force_login(f.an_account("auditor"))
    assert "data-tick" not in client.get(reverse("records:late")).content.decode()
    assert client.post(REMIND, {"row": f"{people[0].public_id}:{course.public_id}"}).status_code == 403
    assert not Notice.objects.filter(kind="reminder").exists()
