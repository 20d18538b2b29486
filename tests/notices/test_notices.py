from smtplib import SMTPException

import pytest
from django.core import mail
from django.urls import reverse

from stepladder.desk.queries import desk_lines
from stepladder.notices import kinds, tasks
from stepladder.notices.actions import Message, tell
from stepladder.notices.kinds import NoticeKind, UnknownField, add_notice_kind, in_words, notice_kinds
from stepladder.notices.models import Notice
from stepladder.notices.queries import unsent
from stepladder.standins.mail import TrayBackend
from stepladder.standins.models import TrayMail
from tests import factories as f

HERE = Notice.Channel.HERE


@pytest.fixture
def jun(organisation):
    return f.a_person("Jun Pellam", email="jun@example.example")


def test_a_notice_is_sent_once_however_often_the_task_runs(jun, django_capture_on_commit_callbacks):
    with django_capture_on_commit_callbacks(execute=True):
        (notice,) = f.told(jun)
    tasks.send_notices.func([notice.pk])
    assert len(mail.outbox) == 1
    letter = mail.outbox[0]
    assert (letter.to, letter.subject) == (["jun@example.example"], "“Fire” is to be done")
    assert "http://localhost:8000/learn/x/" in letter.body
    assert "Marram Sound Ferries" in letter.body


def test_nothing_is_sent_when_the_act_is_rolled_back(jun):
    f.told(jun)
    assert mail.outbox == []
    assert Notice.objects.get().sent_at is None


def test_without_an_address_it_waits_in_the_application(organisation):
    person = f.a_person("Ada Venn")
    (notice,) = f.told(person)
    assert notice.channel == Notice.Channel.HERE


class Refuses:
    """A mail server that knows nobody but Bo."""

    def open(self):
        return True

    def close(self):
        pass

    def send_messages(self, letters):
        if letters[0].to != ["bo@example.example"]:
            raise SMTPException("mailbox unavailable")
        mail.outbox.append(letters[0])
        return 1


class Unreachable(Refuses):
    def open(self):
        raise OSError("Connection refused")


@pytest.fixture
def two(jun, monkeypatch):
    """Two notices, Jun's first, while the mail server knows nobody but Bo."""
    monkeypatch.setattr(tasks, "get_connection", Refuses)
    bo = f.a_person("Bo Tarn", email="bo@example.example")
    return f.told(jun, bo)


def stands(notices):
    return [(n.sent_at is not None, n.trouble) for n in Notice.objects.filter(pk__in=[n.pk for n in notices])]


def test_one_address_that_is_refused_holds_nobody_else_up(two):
    with pytest.raises(tasks.NotAllSent, match="1 of 2 notices could not be sent"):
        tasks.send_notices.func([n.pk for n in two])
    assert stands(two) == [(False, "mailbox unavailable"), (True, "")]
    with pytest.raises(tasks.NotAllSent, match="1 of 1"):
        tasks.send_notices.func([n.pk for n in two])
    assert len(mail.outbox) == 1


def test_a_mail_server_that_cannot_be_reached_is_said_on_every_notice(two, monkeypatch):
    monkeypatch.setattr(tasks, "get_connection", Unreachable)
    with pytest.raises(tasks.NotAllSent, match="The mail server cannot be reached: Connection refused"):
        tasks.send_notices.func([n.pk for n in two])
    assert stands(two) == [(False, "Connection refused")] * 2


def test_who_has_no_address_any_more_is_not_taken_for_told(two, jun):
    jun.email = ""
    jun.save()
    with pytest.raises(tasks.NotAllSent):
        tasks.send_notices.func([n.pk for n in two])
    assert stands(two)[0] == (False, "There is no e-mail address any more.")


def test_the_desk_leads_to_what_was_not_sent_and_it_is_sent_again(
    two, client, on, monkeypatch, django_capture_on_commit_callbacks
):
    with pytest.raises(tasks.NotAllSent):
        tasks.send_notices.func([n.pk for n in two])
    admin = f.an_account("administrator")
    (line,) = [x for x in desk_lines(admin) if x.text == "notice could not be sent"]
    assert (line.count, line.is_urgent, line.detail) == (1, True, "Jun Pellam")
    client.force_login(admin)
    page = client.get(line.url).content.decode()
    assert "mailbox unavailable" in page
    assert "Bo Tarn" not in page
    monkeypatch.undo()
    with django_capture_on_commit_callbacks(execute=True):
        answer = client.post(reverse("notices:send_again"), {"row": [n.public_id for n in two]}, follow=True)
    assert "1 notice on the way again." in answer.content.decode()
    assert "Everything was sent" in client.get(line.url).content.decode()
    assert [letter.to for letter in mail.outbox] == [["bo@example.example"], ["jun@example.example"]]


def test_what_waits_for_an_hour_is_said_to_be_stuck(jun, on):
    on("2026-05-14", 9)
    f.told(jun)
    assert not unsent().exists()
    on("2026-05-14", 11)
    assert [notice.person for notice in unsent()] == [jun]


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


def test_words_reach_their_fields_and_nothing_behind_them():
    fields = {"course": "{given_name.__class__} {reasons}", "by": "", "reasons": "x"}
    assert in_words("“{course}” is to be done{by}", fields) == "“{given_name.__class__} {reasons}” is to be done"
    assert in_words("{course.title}", fields) == "{course.title}"


def test_words_with_a_field_that_their_kind_does_not_have_are_refused_at_start():
    with pytest.raises(
        UnknownField, match=r"“odd” has words with \{due\}, which is none of course, given_name, subject"
    ):
        add_notice_kind(NoticeKind("odd", "Odd", "“{course}” by {due}", "", {"course": "its title"}))
    assert "odd" not in [kind.name for kind in notice_kinds()]


def test_what_goes_only_in_the_application_is_not_sent_though_there_is_an_address(jun, monkeypatch):
    monkeypatch.setitem(kinds._kinds, "here", NoticeKind("here", "Here", "Look", "Hello {given_name}", {}, HERE))
    (notice,) = tell("here", [Message(jun, "/", {})])
    assert (notice.channel, notice.text, notice.sent_at is not None) == (HERE, "Hello Jun", True)
