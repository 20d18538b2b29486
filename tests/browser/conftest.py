"""The demo, served as `./ladder demo` serves it (or an empty installation), and a browser that reports every trouble."""

from __future__ import annotations

import contextlib
import os
import shutil
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import expect, sync_playwright

from tests.shared import empty_installation, shared

ROOT = Path(__file__).resolve().parents[2]
AXE = Path(__file__).parent / "vendor" / "axe.min.js"
FLAGS = [
    *(
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
    ),
    *("--disable-component-update", "--disable-sync", "--autoplay-policy=no-user-gesture-required"),
]
# The day that the tests live on is that of what they start as well.
SHIFT = "STEPLADDER_CLOCK_SHIFT"
# Generous, for machines that are busy: they matter only where something is broken.
READY_SECONDS, ACT_SECONDS, SEEN_SECONDS = 900, 40, 20
expect.set_options(timeout=SEEN_SECONDS * 1000)


def plain_environment() -> dict[str, str]:
    """What a process is started with that knows of the tests no more than their day."""
    return {k: v for k, v in os.environ.items() if not k.startswith(("STEPLADDER_", "DJANGO_")) or k == SHIFT}


class Running:
    """A running installation: its address, its process, and what it printed."""

    def __init__(self, data: Path, command: str = "demo") -> None:
        self.command = command
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            self.port = free.getsockname()[1]
        self.url = f"http://localhost:{self.port}"
        self.data = data
        self.said: list[str] = []

    def start(self) -> None:
        command = [sys.executable, str(ROOT / "src/stepladder/config/ladder"), self.command]
        self.process = subprocess.Popen(
            [*command, "--port", str(self.port), "--data", str(self.data)],
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            env=plain_environment(),
        )
        threading.Thread(target=self._listen, daemon=True).start()
        until = time.monotonic() + READY_SECONDS
        while "ready" not in self.said:
            assert self.process.poll() is None, "\n".join(self.said)
            assert time.monotonic() < until, "\n".join(self.said)
            time.sleep(0.1)

    def _listen(self) -> None:
        for line in self.process.stdout:
            self.said.append(line.rstrip("\n"))

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait(timeout=120)
        self.process.stdout.close()


@contextlib.contextmanager
def serving(data: Path) -> Iterator[Running]:
    """The demo, served until the end of the block."""
    running = Running(data)
    running.start()
    yield running
    running.stop()
    assert running.said[-1] == "stopped"


def load(data: Path) -> None:
    """The demo's data, into an installation that is set up where there is one."""
    if installation := empty_installation():
        shutil.copytree(installation, data)
    with serving(data):
        pass


@pytest.fixture(scope="session")
def demo(tmp_path_factory):
    data = tmp_path_factory.mktemp("demo")
    # Loading takes a minute of work: processes that run beside each other on one day share it, each with a copy.
    if loaded := shared(f"demo {os.environ.get(SHIFT, 'today')}", load):
        shutil.copytree(loaded, data, dirs_exist_ok=True)
    with serving(data) as running:
        yield running


@pytest.fixture(scope="session")
def browser():
    with sync_playwright() as playwright:
        opened = playwright.chromium.launch(executable_path=os.environ.get("CHROMIUM", "/usr/bin/chromium"), args=FLAGS)
        yield opened
        opened.close()


def _where(message):
    """Which address a message of the console is about."""
    return (message.location or {}).get("url", "")


def _is_trouble(message):
    """Errors, but for what the protocol of uploads means to be said: a part sent twice is told where to go on, and does."""
    goes_on = "409" in message.text and "/library/uploads/" in _where(message)
    return message.type == "error" and not goes_on


@pytest.fixture
def open_at(browser):
    """`open_at(site)`: a page of its own; every console error and every request elsewhere is a failure."""
    contexts = []
    trouble = []

    def make(site: Running, **options):
        context = browser.new_context(base_url=site.url, **{"viewport": {"width": 1280, "height": 800}, **options})
        contexts.append(context)
        context.set_default_timeout(ACT_SECONDS * 1000)
        port = f":{site.port}"

        def elsewhere(url: str) -> bool:
            """Whether the network is asked for anything that was not served here; the browser's own pages are not."""
            ours = url.startswith(f"http://localhost{port}") or f".localhost{port}/run/" in url
            return url.startswith(("http", "ws")) and not ours

        context.on("console", lambda m: trouble.append(f"{m.text} {_where(m)}") if _is_trouble(m) else None)
        context.on("weberror", lambda e: trouble.append(str(e.error)))
        context.on("request", lambda r: trouble.append(f"outside: {r.url}") if elsewhere(r.url) else None)
        page = context.new_page()
        page.trouble = trouble
        return page

    yield make
    for context in contexts:
        context.close()
    assert trouble == []


@pytest.fixture
def open_page(demo, open_at):
    """`open_page("Ines Okoro")`: a page of the demo, signed in as somebody."""

    def make(who: str | None = None, **options):
        page = open_at(demo, **options)
        if who:
            page.goto("/account/sign-in/")
            page.get_by_role("button", name=who).click()
            # Whoever presses a key, or waits for the page to be at rest, means the one that comes then.
            page.wait_for_url(lambda url: "/account/" not in url)
        return page

    return make


# The frame in which the page looks what is in view, and the second after which it counts, by the page's own clock: on a busy
# machine that may be late.
STAY = (
    """() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 1050))))"""
)


def read(block):
    """Have a block of a lesson in view until it counts as read."""
    block.scroll_into_view_if_needed()
    block.evaluate(STAY)


def axe(page, only=None, without=None):
    """What axe finds wrong (by one rule *only*, by all but one); the debugger puts it in, so no content policy stops it."""
    if not page.evaluate("'axe' in window"):
        page.evaluate(AXE.read_text())
    options = {"resultTypes": ["violations"]} | ({"runOnly": [only]} if only else {})
    if without:
        options["rules"] = {without: {"enabled": False}}
    found = page.evaluate("(options) => axe.run(document, options)", options)["violations"]
    return [(v["id"], [n["html"][:120] for n in v["nodes"]][:3]) for v in found]
