"""Mail by a real SMTP server: one that takes all, refuses one, refuses all, hangs, or breaks off."""

import asyncio
import socket
from datetime import timedelta

import pytest
from aiosmtpd.controller import Controller

from stepladder.notices import actions, tasks
from stepladder.notices.models import Notice
from tests import factories as f


class Server:
    """What it is told to do with each recipient; what it took."""

    def __init__(self):
        self.refuses, self.hangs_at, self.breaks_at, self.took = set(), None, None, []

    async def handle_RCPT(self, server, session, envelope, address, options):
        if address in self.refuses or "all" in self.refuses:
            return "550 5.1.1 mailbox unavailable"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server, session, envelope):
        if self.hangs_at in envelope.rcpt_tos:
            # Longer than anybody waits. Whoever comes meanwhile is served: how soon that is, is no matter then.
            await asyncio.sleep(20)
        if self.breaks_at in envelope.rcpt_tos:
            server.transport.close()
        self.took.append((envelope.rcpt_tos[0], envelope.content.decode()))
        return "250 OK"


@pytest.fixture
def server(settings, organisation):
    handler = Server()
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    controller = Controller(handler, hostname="127.0.0.1", port=port)
    controller.start()
    settings.EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend"
    settings.EMAIL_HOST, settings.EMAIL_TIMEOUT = "127.0.0.1", 1
    settings.EMAIL_PORT = port
    yield handler
    controller.stop()


@pytest.fixture
def three(organisation):
    people = [
        f.a_person(name, email=f"{name.split()[0].lower()}@ferries.example")
        for name in ("Jun Pellam", "Ada Venn", "Mo Reed")
    ]
    return [notice.pk for notice in f.told(*people)]


def stands(keys):
    return [n.trouble or ("sent" if n.sent_at else "waits") for n in Notice.objects.filter(pk__in=keys).order_by("pk")]


def test_a_letter_arrives_as_it_was_written(server, three):
    tasks.send_notices.func(three)
    assert [to for to, _ in server.took] == [
        "jun@ferries.example",
        "ada@ferries.example",
        "mo@ferries.example",
    ]
    content = server.took[0][1]
    assert "X-Stepladder-Notice" in content
    assert "http://localhost:8000/learn/x/" in content
    assert stands(three) == ["sent"] * 3


def test_a_server_that_refuses_one_takes_the_others(server, three):
    server.refuses = {"ada@ferries.example"}
    with pytest.raises(tasks.NotAllSent, match="1 of 3"):
        tasks.send_notices.func(three)
    assert stands(three) == ["sent", "550 5.1.1 mailbox unavailable", "sent"]


def test_a_server_that_refuses_all_leaves_each_with_what_it_said(server, three):
    server.refuses = {"all"}
    with pytest.raises(tasks.NotAllSent, match="3 of 3"):
        tasks.send_notices.func(three)
    assert stands(three) == ["550 5.1.1 mailbox unavailable"] * 3


@pytest.mark.parametrize(("how", "said"), [("hangs_at", "timed out"), ("breaks_at", "onnection unexpectedly closed")])
def test_a_server_that_hangs_or_breaks_off_is_left_alone_and_what_is_left_goes_later(server, three, how, said):
    setattr(server, how, "ada@ferries.example")
    with pytest.raises(tasks.NotAllSent, match="is gone, 2 wait"):
        tasks.send_notices.func(three)
    first, *others = stands(three)
    assert first == "sent"
    assert all(said in one for one in others)
    setattr(server, how, None)
    # Nobody is told twice but who was in the middle of it.
    tasks.send_notices.func(three)
    assert stands(three) == ["sent"] * 3
    assert [to for to, _ in server.took].count("jun@ferries.example") == 1


def test_very_many_go_in_pieces_as_quickly_as_the_server_takes_them(settings, monkeypatch):
    settings.MAILS_A_MINUTE = 30
    monkeypatch.setattr(actions, "LETTERS", 60)
    handed = []
    monkeypatch.setattr(actions, "later", lambda task, *, after, keys, **_: handed.append((len(keys), after)))
    actions._hand_over(list(range(1, 151)))
    assert handed == [(60, timedelta(0)), (60, timedelta(minutes=2)), (30, timedelta(minutes=4))]
