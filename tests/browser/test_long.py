"""What takes long, run by `./ladder test --long`: twenty kills and twenty backups while people work, and each time all is whole."""

from __future__ import annotations

import base64
import http.client
import random
import re
import sqlite3
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.parse
from contextlib import closing

import pytest

from tests.browser.conftest import ROOT, serving
from tests.browser.test_faults import Visitor, a_large_package, kill

LADDER = [sys.executable, str(ROOT / "src/stepladder/config/ladder")]
TIMES = 20
# Between two acts of one person: otherwise what they make is soon larger than what is tried.
PAUSE = 1.5
PARTS = {"Content_Type": "application/offset+octet-stream"}
# What a visitor meets while a server is away.
AWAY = (urllib.error.URLError, ConnectionError, http.client.HTTPException)
pytestmark = [pytest.mark.long, pytest.mark.timeout(3600)]


@pytest.fixture(scope="module")
def demo(tmp_path_factory):
    """A demo of their own: what people make here meanwhile is too much for other tests to find their way in."""
    with serving(tmp_path_factory.mktemp("long")) as running:
        yield running


def ladder(*arguments):
    return subprocess.run([*LADDER, *map(str, arguments)], capture_output=True, text=True, check=False, timeout=900)


class Working:
    """Three people who work on while things happen to the installation, and what was confirmed to them.

    *mark* begins the numbers of whom they hire: tests share a demo, and a number is somebody's once.
    """

    def __init__(self, demo, mark):
        self.demo, self.mark, self.goes_on = demo, mark, True
        self.hired: list[str] = []
        self.uploaded = 0
        self.trouble: list[str] = []
        acts = (self._hire, self._hire, self._upload)
        self.threads = [threading.Thread(target=self._work, args=(n, act), daemon=True) for n, act in enumerate(acts)]

    def __enter__(self):
        for thread in self.threads:
            thread.start()
        return self

    def __exit__(self, *_):
        self.goes_on = False
        for thread in self.threads:
            thread.join()

    def _work(self, number, act):
        count = 0
        visitor = None
        while self.goes_on:
            count += 1
            try:
                if visitor is None:
                    visitor = Visitor(self.demo.url)
                    visitor.sign_in("Ines Okoro")
                act(visitor, f"{number}-{count:04}")
                time.sleep(PAUSE)
            except urllib.error.HTTPError as error:
                self.trouble.append(f"{error.code} {error.url}")
            except AWAY:
                time.sleep(0.2)

    def _hire(self, visitor, name):
        number = f"{self.mark}{name}"
        unit = re.search(r'<option value="(\d+)"', visitor.page("/people/hire/"))[1]
        said = {"given_name": "Lou", "family_name": number, "employee_number": number, "kind": "employee"}
        sent = urllib.parse.urlencode(said | {"unit": unit, "hired_on": "2026-01-05"}).encode()
        if f"{number} is hired" in visitor.ask("/people/hire/", "POST", sent).read().decode():
            self.hired.append(number)

    def _upload(self, visitor, name):
        binder = re.search(r"/library/binders/(\w{14})/", visitor.page("/library/"))[1]
        body = a_large_package(50)
        said = {"filename": f"long-{name}.zip", "binder": binder}
        header = ",".join(f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in said.items())
        made = visitor.ask("/library/uploads/", "POST", b"", Upload_Length=str(len(body)), Upload_Metadata=header)
        half = len(body) // 2
        visitor.ask(made.headers["Location"], "PATCH", body[:half], Upload_Offset="0", **PARTS)
        visitor.ask(made.headers["Location"], "PATCH", body[half:], Upload_Offset=str(half), **PARTS)
        self.uploaded += 1


def kill_once_there(demo, word, after):
    """Kill a process after some seconds, or, where it is being started at that moment, as soon as it is there."""
    time.sleep(after)
    for _ in range(100):
        try:
            return kill(demo, word)
        except (StopIteration, ProcessLookupError):
            time.sleep(0.2)
    raise AssertionError(f"{word} did not come again")


def verified(data, *, seconds=300):
    """What verify says once nothing waits in the queue any more."""
    end = time.monotonic() + seconds
    said = ladder("verify", "--data", data)
    while "were not compared" in said.stdout and time.monotonic() < end:
        time.sleep(2)
        said = ladder("verify", "--data", data)
    return said


def test_twenty_kills_while_people_work_lose_nothing_that_was_confirmed(demo):
    chance = random.Random(20)
    with Working(demo, "K") as people:
        for n in range(TIMES):
            time.sleep(chance.uniform(1, 4))
            kill(demo, chance.choice(["gunicorn", "worker"]))
            # Each is there again before the next one, as `ladder` gives up on what dies five times in half a minute.
            Visitor(demo.url).until("/healthz", '"database"')
            time.sleep(6 if n % 4 == 3 else 1)
    assert len(people.hired) > TIMES
    assert people.uploaded > 0
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    for name in people.hired:
        page = visitor.page(f"/people/?q={name}&state=all")
        assert re.search(r"<h1>People</h1> ?<span[^>]*>1<", page), (
            f"{name} was confirmed, and is there otherwise than once"
        )
    checked = verified(demo.data)
    assert "are as they were written, and every requirement" in checked.stdout, checked.stdout + checked.stderr
    assert people.trouble == []


def test_twenty_kills_in_a_refresh_for_everyone_leave_what_the_facts_give(demo):
    """A course's terms change for all of the past: everybody's spans, and how they stand, follow in the queue."""
    chance, visitor = random.Random(21), Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    course = re.search(r'href="/courses/(\w{14})/"[^>]*>(?:<[^>]*>)*Fire on board', visitor.page("/courses/"))[1]
    changed = 0
    for n in range(TIMES):
        said = {
            "lasts": "months",
            "count": 12 + n % 2 * 12,
            "window_days": 60,
            "grace_days": 30,
            "from_day": "2024-01-01",
        }
        sent = urllib.parse.urlencode(said).encode()
        word, wait = chance.choice(["gunicorn", "worker"]), chance.uniform(0, 1.5)
        before = threading.Thread(target=kill_once_there, args=(demo, word, wait))
        before.start()
        try:
            visitor.ask(f"/courses/{course}/terms/", "POST", sent).read()
            changed += 1
        except AWAY:
            pass
        before.join()
        Visitor(demo.url).until("/healthz", '"database"')
        # As `ladder` gives up on what dies five times in half a minute.
        time.sleep(6 if n % 4 == 3 else 1)
    assert changed > TIMES // 2
    checked = verified(demo.data)
    assert "are as they were written, and every requirement" in checked.stdout, checked.stdout + checked.stderr


def test_twenty_backups_while_people_work_are_whole(demo, tmp_path):
    with Working(demo, "B") as people:
        for n in range(TIMES):
            archive, new = tmp_path / f"{n}.tar.gz", tmp_path / f"new {n}"
            made = ladder("backup", "--data", demo.data, archive)
            assert made.returncode == 0, made.stdout + made.stderr
            restored = ladder("restore", "--data", new, archive)
            assert restored.returncode == 0, restored.stdout + restored.stderr
            assert "are as they were written" in restored.stdout
            assert not list(tmp_path.glob("*.part"))
            archive.unlink()
            subprocess.run(["rm", "-rf", str(new)], check=True)  # noqa: S607
    assert people.uploaded > 0
    assert people.hired
    assert people.trouble == []


def test_a_worker_outlives_a_database_that_is_locked_for_long(demo):
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    with closing(sqlite3.connect(demo.data / "stepladder.sqlite3", timeout=60, isolation_level=None)) as base:
        base.execute("BEGIN IMMEDIATE")
        # Longer than anybody waits for the lock: the worker's looks at its queues fail meanwhile.
        time.sleep(45)
        base.execute("COMMIT")
    binder = re.search(r"/library/binders/(\w{14})/", visitor.page("/library/"))[1]
    body = a_large_package(5)
    header = ",".join(
        f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in {"filename": "after.zip", "binder": binder}.items()
    )
    made = visitor.ask("/library/uploads/", "POST", b"", Upload_Length=str(len(body)), Upload_Metadata=header)
    visitor.ask(made.headers["Location"], "PATCH", body, Upload_Offset="0", **PARTS)
    page = visitor.until(f"/library/binders/{binder}/uploads/", r'put away<span class="unseen"> after\.zip')
    assert re.search(r'data-state="done">(?:(?!data-state)[\s\S])*after\.zip', page)
    assert verified(demo.data).returncode == 0
