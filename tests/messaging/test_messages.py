"""Messages to people: who may write, what each reads, and what they answer."""

import pytest
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.desk.queries import desk_lines
from stepladder.messaging.actions import write
from stepladder.messaging.errors import MessagingError
from stepladder.messaging.models import Answer, Message, Thread
from stepladder.notices.models import Notice
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def crew(organisation, media):
    """Jun, who signs in, and Ada, both asked for Fire; and the administrator who writes."""
    people = [f.a_person("Jun Pellam", email="jun@ferries.example"), f.a_person("Ada Venn")]
    f.an_account("learner", name="Jun Pellam", person=people[0])
    course = f.a_course("Fire")
    f.an_assignment(course)
    Notice.objects.all().delete()
    return people, course, f.an_account("administrator")


def test_who_is_ticked_in_the_list_of_who_is_late_is_written_to(crew, client):
    (jun, ada), course, admin = crew
    client.force_login(admin)
    listed = page_text(client.get(reverse("records:standing")))
    assert f'formaction="{reverse("messaging:write")}"' in listed
    rows = [f"{person.public_id}:{course.public_id}" for person in (jun, jun, ada)]
    page = page_text(client.post(reverse("messaging:write"), {"row": rows}))
    assert "Write to 2 people" in page
    assert f'name="chosen" value="{ada.public_id}"' in page
    # A switched-off way is not shown.
    Organisation.objects.update(switched_off=["messages"])
    forget()
    assert "formaction" not in page_text(client.get(reverse("records:standing")))


def test_the_people_of_a_course_are_written_to_and_one_answers(crew, client):
    (jun, ada), course, admin = crew
    client.force_login(admin)
    address = reverse("messaging:write") + f"?course={course.public_id}"
    page = page_text(client.get(address))
    assert "Write to 2 people" in page
    assert "Jun Pellam, Ada Venn, of the course “Fire”." in page
    sent = {"course": course.public_id, "go": "1", "subject": "Drill", "text": "Bring gloves.", "once": "a"}
    assert "Write something" not in page_text(client.post(reverse("messaging:write"), sent, follow=True))
    # Sent twice by a nervous hand, it went once.
    client.post(reverse("messaging:write"), sent)
    message = Message.objects.get()
    assert (message.about, message.people, message.threads.count()) == ("the course “Fire”", 2, 2)
    told = Notice.objects.get(person=jun)
    assert "Bring gloves." in told.text
    assert "Answer in the application" in told.text

    client.force_login(jun.account)
    assert "wrote to you: Drill" in page_text(client.get(reverse("desk:up_next")))
    assert "Bring gloves." in page_text(client.get(told.path))
    assert "wrote to you" not in page_text(client.get(reverse("desk:up_next")))
    thread = Thread.objects.get(person=jun)
    answer = reverse("messaging:answer", args=[thread.public_id])
    assert client.post(answer, {"text": "  ", "once": "b"}).status_code == 422
    client.post(answer, {"text": "Mine are torn.", "once": "c"})
    # Nobody else's: not to be opened, nor to be found.
    other = Thread.objects.get(person=ada)
    assert client.get(reverse("messaging:thread", args=[other.public_id])).status_code == 404

    line = next(line for line in desk_lines(admin) if line.text == "answer waits for you")
    assert line.detail == "Jun Pellam, Drill"
    client.force_login(admin)
    assert "Jun Pellam" in page_text(client.get(line.url))
    assert "Mine are torn." in page_text(client.get(reverse("messaging:message", args=[message.public_id])))
    client.post(answer, {"text": "Take a pair from the locker.", "once": "d"})
    assert Notice.objects.filter(person=jun).latest("pk").subject == f"{admin.name} answers: Drill"
    assert [one.is_theirs for one in Answer.objects.all()] == [True, False]
    assert "answer waits for you" not in [line.text for line in desk_lines(admin)]


def test_who_leads_or_teaches_writes_to_their_own_and_to_nobody_else(crew):
    (jun, ada), _, _ = crew
    far = f.a_person("Mo Reed", unit="Knot")
    master = f.a_person("Tilda Pask", position="Master")
    f.a_lead("Master", powers=("see records",))
    leader = f.an_account("learner", name="Tilda Pask", person=master)
    sent = write(people=[jun, ada, far], subject="Watch", text="Who takes the night?", about="", by=leader)
    assert set(sent.threads.values_list("person", flat=True)) == {jun.pk, ada.pk}
    with pytest.raises(MessagingError, match="nobody here to whom you can write"):
        write(people=[far], subject="Watch", text="You?", about="", by=leader)


def test_an_answer_that_needs_none_is_put_away_and_one_whose_writer_is_gone_comes_to_the_administrators(crew, client):
    (jun, _), _, admin = crew
    leader = f.an_account("administrator", name="Rolf Dane")
    for subject in ("Gloves", "Boots"):
        thread = write(people=[jun], subject=subject, text="Do you have any?", about="", by=leader).threads.get()
        client.force_login(jun.account)
        client.post(reverse("messaging:answer", args=[thread.public_id]), {"text": "Yes.", "once": subject})
    put_away = reverse("messaging:put_away", args=[thread.public_id])
    assert client.post(put_away).status_code in (403, 404)
    client.force_login(leader)
    client.post(put_away)
    assert list(Thread.objects.filter(waits=True).values_list("message__subject", flat=True)) == ["Gloves"]
    leader.is_active, leader.is_locked = False, True
    leader.save()
    client.force_login(admin)
    assert "Gloves" in page_text(client.get(reverse("messaging:answers")))


def test_an_organisation_that_wants_no_messages_has_none_and_keeps_those_there_were(crew, client):
    (jun, _), course, admin = crew
    thread = write(people=[jun], subject="Drill", text="Come.", about="", by=admin).threads.get()
    Organisation.objects.update(switched_off=["messages"])
    forget()
    with pytest.raises(MessagingError, match="does not want messages"):
        write(people=[jun], subject="Drill", text="Come.", about="", by=admin)
    client.force_login(admin)
    assert "Write to them" not in page_text(client.get(reverse("courses:course", args=[course.public_id])))
    client.force_login(jun.account)
    assert "Come." in page_text(client.get(reverse("messaging:thread", args=[thread.public_id])))
    refused = client.post(reverse("messaging:answer", args=[thread.public_id]), {"text": "Yes.", "once": "x"})
    assert "does not want messages" in page_text(refused)
    forget()
