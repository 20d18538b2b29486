from smtplib import SMTPException

import pytest
from django.core import mail
from django.urls import reverse

from stepladder.notices import tasks
from stepladder.notices.actions import tell
from stepladder.notices.models import Notice
from stepladder.standins.mail import TrayBackend
from stepladder.standins.models import TrayMail
from tests import factories as f


@pytest.fixture
def jun(organisation):
    return f.a_person("Jun Pellam", email="jun@example.example")


def test_a_notice_is_sent_once_however_often_the_task_runs(jun, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        (notice,) = tell(messages=[(jun, "Fire", "To be done.", "/learn/x/")], kind="assigned")
    tasks.send_notices.func([notice.pk])
    assert len(mail.outbox) == 1
    letter = mail.outbox[0]
    assert (letter.to, letter.subject) == (["jun@example.example"], "Fire")
    assert "http://localhost:8000/learn/x/" in letter.body
    assert "Marram Sound Ferries" in letter.body


def test_nothing_is_sent_when_the_act_is_rolled_back(jun):
    tell(messages=[(jun, "Fire", "To be done.", "/x/")], kind="assigned")
    assert mail.outbox == []
    assert Notice.objects.get().sent_at is None


def test_without_an_address_it_waits_in_the_application(organisation):
    person = f.a_person("Ada Venn")
    (notice,) = tell(messages=[(person, "Fire", "To be done.", "/x/")], kind="assigned")
    assert notice.channel == Notice.Channel.HERE


def test_what_the_mail_server_says_is_kept_and_the_task_tries_again(jun, monkeypatch):
    (notice,) = tell(messages=[(jun, "Fire", "To be done.", "/x/")], kind="assigned")

    def refuse(self, fail_silently=False):
        raise SMTPException("mailbox unavailable")

    monkeypatch.setattr("django.core.mail.EmailMessage.send", refuse)
    with pytest.raises(SMTPException):
        tasks.send_notices.func([notice.pk])
    notice.refresh_from_db()
    assert (notice.sent_at, notice.trouble) == (None, "mailbox unavailable")


def test_the_tray_keeps_what_would_have_been_sent(jun, client):
    letter = mail.EmailMessage(
        "Fire", "See http://localhost:8000/learn/x/", "training@example.example", ["jun@example.example"]
    )
    assert TrayBackend().send_messages([letter]) == 1
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("standins:tray"), {"q": "jun"}).content.decode()
    assert "Fire" in page
    page = client.get(reverse("standins:mail", args=[TrayMail.objects.get().public_id])).content.decode()
    assert 'href="http://localhost:8000/learn/x/"' in page
