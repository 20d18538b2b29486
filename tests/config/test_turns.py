"""The worker's threads, writing without a pause, let somebody else write in between."""

import sqlite3
import threading
import time

import pytest
from django.contrib.sessions.exceptions import SessionInterrupted
from django.db import OperationalError
from django.test import RequestFactory
from django.urls import reverse

from stepladder.accounts import views
from stepladder.config.database import turns
from stepladder.web.errors import not_readable
from tests import factories as f


def test_whoever_waits_writes_after_a_few_pieces_of_the_worker(tmp_path, monkeypatch):
    monkeypatch.setattr(turns, "WRITES_SECONDS", 0.04)
    shared = turns.Turns(turns.GAP_SECONDS)
    begun, goes_on = [], threading.Event()

    def connected():
        return sqlite3.connect(tmp_path / "one.sqlite3", timeout=30, isolation_level=None)

    with connected() as made:
        made.execute("PRAGMA journal_mode=WAL")

    def work():
        database = connected()
        while not goes_on.is_set():
            shared.take()
            database.execute("BEGIN IMMEDIATE")
            shared.has_begun()
            begun.append(1)
            time.sleep(0.05)
            database.execute("COMMIT")
            shared.leave()

    threads = [threading.Thread(target=work) for _ in range(2)]
    for thread in threads:
        thread.start()
    waiting = connected()
    seen = []
    for _ in range(5):
        # Both of the worker's threads are at it by then: one writes and the other one waits for it.
        time.sleep(0.2)
        before = len(begun)
        waiting.execute("BEGIN IMMEDIATE")
        seen.append(len(begun) - before)
        waiting.execute("COMMIT")
    goes_on.set()
    for thread in threads:
        thread.join()
    # Each gap lets it in; a machine that stands still may make it miss one.
    assert sum(seen) <= 15, seen


def test_a_turn_that_was_not_taken_is_not_left(monkeypatch):
    monkeypatch.setattr(turns, "PATIENCE_SECONDS", 0.01)
    shared = turns.Turns()
    shared.take()
    other = threading.Thread(target=lambda: (shared.take(), shared.leave()))
    other.start()
    other.join()
    assert shared._one.locked(), "another thread has left our turn"
    shared.leave()
    shared.leave()
    assert not shared._one.locked()


@pytest.mark.django_db
def test_a_database_that_could_not_be_had_is_said_and_may_be_tried_again(organisation, client, monkeypatch):
    client.force_login(f.an_account("administrator"))

    def busy(**given):
        raise OperationalError("database is locked")

    monkeypatch.setattr(views.actions, "change_settings", busy)
    address = reverse("accounts:settings")
    sent = {name: value for name, value in client.get(address).context["form"].initial.items() if value is not None}
    answer = client.post(address, sent)
    assert answer.status_code == 503
    assert "very busy. Try again in a moment. Nothing was changed." in answer.content.decode()
    part = client.post(address, sent, headers={"HX-Request": "true"})
    assert (part.status_code, "very busy" in part["HX-Trigger"]) == (503, True)


def test_a_session_that_is_gone_asks_to_look_first_and_what_cannot_be_read_is_refused():
    request = RequestFactory().post("/desk/")
    gone = not_readable(request, SessionInterrupted("The session was deleted."))
    assert (gone.status_code, "do it again if it is not" in gone.content.decode()) == (503, True)
    other = not_readable(request, ValueError("broken"))
    assert (other.status_code, "nothing was changed" in other.content.decode()) == (400, True)
