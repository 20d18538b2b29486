"""Packages on a line with 150 ms and 150 KB/s between: what a page sets as it goes arrives, whatever overtakes what."""

from __future__ import annotations

import contextlib
import os
import socket
import threading
import time

import pytest
from django.test import Client
from playwright.sync_api import expect

from stepladder.accounts.models import Organisation
from stepladder.learning.models import Attempt
from stepladder.playing.models import ScoState
from tests import factories as f
from tests.playing.packages import a_package, place, step_url

DELAY_SECONDS, BYTES_A_SECOND = 0.15, 150_000
STATE = 64_000
# Sets all it has to say in the moment it goes: a long state, its score, and that it is over.
PAGE = """<!DOCTYPE html><title>Fire</title><p id="found"></p><script>
  const api = window.parent.API;
  api.LMSInitialize("");
  const state = api.LMSGetValue("cmi.suspend_data");
  document.getElementById("found").textContent = api.LMSGetValue("cmi.core.lesson_location") + " " + state.length;
  api.LMSSetValue("cmi.core.lesson_status", "incomplete");
  // Something of this opening that no other one says.
  api.LMSSetValue("cmi.student_preference.speed", String(Math.floor(Math.random() * 100)));
  window.addEventListener("unload", () => {
    api.LMSSetValue("cmi.suspend_data", "s".repeat(%d));
    api.LMSSetValue("cmi.core.lesson_location", "the end");
    api.LMSSetValue("cmi.core.session_time", "00:03:00");
    api.LMSSetValue("cmi.core.score.raw", "92");
    api.LMSFinish("");
  });
</script>"""


class SlowLine:
    """Passes bytes on between a browser and a server, each piece late and none faster than the line."""

    def __init__(self, port: int) -> None:
        self.to = port
        self.door = socket.create_server(("127.0.0.1", 0))
        self.port = self.door.getsockname()[1]
        self.url = f"http://localhost:{self.port}"
        threading.Thread(target=self._accept, daemon=True).start()

    def _accept(self) -> None:
        while True:
            try:
                near, _ = self.door.accept()
            except OSError:
                return
            threading.Thread(target=self._connect, args=(near,), daemon=True).start()

    def _connect(self, near: socket.socket) -> None:
        with near, socket.create_connection(("127.0.0.1", self.to)) as far:
            back = threading.Thread(target=self._pass_on, args=(far, near), daemon=True)
            back.start()
            self._pass_on(near, far)
            back.join()

    def _pass_on(self, one: socket.socket, other: socket.socket) -> None:
        with contextlib.suppress(OSError):
            while data := one.recv(16_384):
                time.sleep(DELAY_SECONDS + len(data) / BYTES_A_SECOND)
                other.sendall(data)
        for end in (one, other):
            with contextlib.suppress(OSError):
                end.shutdown(socket.SHUT_RDWR)

    def close(self) -> None:
        with contextlib.suppress(OSError):
            self.door.shutdown(socket.SHUT_RDWR)
        self.door.close()


@pytest.fixture
def line(live_server):
    found = SlowLine(live_server.thread.port)
    yield found
    found.close()


@pytest.fixture
def fire(transactional_db, media, tmp_path, open_at, line):
    """A learner in front of the package: (page, address of its step)."""
    os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
    Organisation.objects.create(name="Marram Sound Ferries")
    jun = f.a_person("Jun Pellam")
    account = f.an_account("learner", name=jun.name, person=jun)
    module = a_package(tmp_path, **{"index.html": PAGE % STATE})
    enrolment = place(jun, [module])
    client = Client()
    client.force_login(account)
    page = open_at(line)
    page.context.add_cookies([{"name": "sessionid", "value": client.cookies["sessionid"].value, "url": line.url}])
    return page, step_url(enrolment, module)


def found_in(page):
    return page.frame_locator("[data-frame]").frame_locator("#content").locator("#found")


def until(holds):
    end = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < end, list(ScoState.objects.values("values", "final_seq", "has_left"))[:3]
        time.sleep(0.1)


def kept():
    row = ScoState.objects.filter().first()
    return row.values if row else {}


WAYS = {
    "another page": lambda page: page.goto("/desk/next/"),
    "the tab closed": lambda page: page.close(run_before_unload=False),
    "the frame taken out": lambda page: page.evaluate("document.querySelector('[data-frame]').remove()"),
    "back": lambda page: page.go_back(),
    "a link of the page": lambda page: page.get_by_role("link", name="Fire on board").first.click(),
}


@pytest.mark.timeout(300)
@pytest.mark.parametrize("way", WAYS)
def test_whatever_way_one_leaves_all_that_the_package_said_arrives(fire, way):
    page, address = fire
    page.goto("/desk/next/")
    page.goto(address)
    expect(found_in(page)).to_have_text(" 0")
    WAYS[way](page)
    until(lambda: kept().get("cmi.core.score.raw") == "92")
    assert (len(kept()["cmi.suspend_data"]), kept()["cmi.core.lesson_location"]) == (STATE, "the end")
    attempt = Attempt.objects.get()
    assert (attempt.status, attempt.seconds) == ("passed", 180)


@pytest.mark.timeout(300)
def test_a_reload_loses_nothing_and_the_window_of_its_own_is_the_one_that_counts(fire):
    page, address = fire
    page.goto(address)
    expect(found_in(page)).to_have_text(" 0")
    page.reload()
    until(lambda: len(kept().get("cmi.suspend_data", "")) == STATE)
    expect(found_in(page)).to_be_visible()
    # What the new page says by itself takes nothing of that away.
    until(lambda: ScoState.objects.get().seqs.get("cmi.student_preference.speed", -1) >= 0)
    assert len(kept()["cmi.suspend_data"]) == STATE
    with page.context.expect_page() as opened:
        page.get_by_role("link", name="Open it in a window of its own").click()
    own = opened.value
    inner = own.frame_locator("#content")
    expect(inner.locator("#found")).to_contain_text(str(STATE))
    # The frame is out of date now, and says so as soon as it has something to say.
    frame = page.frame_locator("[data-frame]")
    frame.frame_locator("#content").locator("body").evaluate(
        "window.parent.API.LMSSetValue('cmi.core.lesson_location', 'p2')"
    )
    expect(frame.locator("#says")).to_contain_text("opened again in another window or tab")
    page.trouble[:] = [text for text in page.trouble if "409" not in text]
