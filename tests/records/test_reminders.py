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
    assert {n.subject for n in told} == {"Reminder: “Fire” is to be done by 31 Mar 2026"}
    assert Entry.objects.get(verb="remind").data["count"] == 2


def test_an_auditor_sees_the_list_but_reminds_nobody(late, client):
    course, people = late
    client.force_login(f.an_account("auditor"))
    assert "data-tick" not in client.get(reverse("records:late")).content.decode()
    assert client.post(REMIND, {"row": f"{people[0].public_id}:{course.public_id}"}).status_code == 403
    assert not Notice.objects.filter(kind="reminder").exists()
