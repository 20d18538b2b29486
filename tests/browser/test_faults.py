"""Processes killed outright: what was confirmed is there, what was under way goes on."""

from __future__ import annotations

import base64
import http.client
import http.cookiejar
import io
import os
import re
import signal
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.parse
import urllib.request
import zipfile
from pathlib import Path

import pytest

from tests import factories as f
from tests.reading import plain


class Visitor:
    """A browser without a screen: cookies, the form's token, and nothing else."""

    def __init__(self, url: str) -> None:
        self.url = url
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))

    def ask(self, path, method="GET", body=None, **headers):
        headers = {k.replace("_", "-"): v for k, v in headers.items()}
        headers["X-CSRFToken"] = next((c.value for c in self.jar if c.name == "csrftoken"), "")
        request = urllib.request.Request(self.url + path, data=body, method=method, headers=headers)
        return self.opener.open(request, timeout=90)

    def page(self, path):
        return plain(self.ask(path).read().decode())

    def sign_in(self, who):
        page = self.page("/account/sign-in/")
        key = re.search(rf'value="(\w+)"><b>{who}', page)[1]
        self.ask("/account/sign-in/demo/", "POST", urllib.parse.urlencode({"who": key}).encode())

    def until(self, path, wanted, seconds=180):
        """Ask until the page has what is wanted; a server that is just starting again is waited for."""
        end = time.monotonic() + seconds
        page = ""
        while time.monotonic() < end:
            try:
                page = self.page(path)
                if re.search(wanted, page):
                    return page
            except (urllib.error.URLError, ConnectionError):
                pass
            time.sleep(0.1)
        raise AssertionError(f"{wanted} did not come: {page[-2000:]}")


def children(pid):
    """The processes below a process, by what the kernel says."""
    found = {}
    for path in Path("/proc").glob("[0-9]*/stat"):
        try:
            name, parent = path.read_text().rsplit(")", 1)[0], path.read_text().rsplit(")", 1)[1].split()[1]
            command = (path.parent / "cmdline").read_text().split("\0")
        except OSError:
            continue
        if int(parent) == pid:
            found[int(name.split()[0])] = command
    return found


def kill(demo, word):
    pid = next(
        pid for pid, command in children(demo.process.pid).items() if word in {Path(part).name for part in command}
    )
    # Stopped first: a server that sees its first worker die starts another, which would answer once more and then go.
    os.kill(pid, signal.SIGSTOP)
    for below in children(pid):
        os.kill(below, signal.SIGKILL)
    os.kill(pid, signal.SIGKILL)


def a_large_package(files=12000):
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("imsmanifest.xml", f.MANIFEST.format(title="A long course", href="index.html"))
        archive.writestr("index.html", "<h1>A long course</h1>")
        for n in range(files):
            archive.writestr(f"pages/{n}.html", f"<p>{n}</p>" * 40)
    return out.getvalue()


@pytest.mark.timeout(600)
def test_server_and_worker_killed_outright_go_on_where_they_stopped(demo):
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    binder = re.search(r"/library/binders/(\w{14})/", visitor.page("/library/"))[1]
    body = a_large_package()
    said = {"filename": "long.zip", "binder": binder}
    header = ",".join(f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in said.items())
    made = visitor.ask("/library/uploads/", "POST", b"", Upload_Length=str(len(body)), Upload_Metadata=header)
    address = made.headers["Location"]
    parts = {"Content_Type": "application/offset+octet-stream"}
    half = len(body) // 2
    visitor.ask(address, "PATCH", body[:half], Upload_Offset="0", **parts)

    kill(demo, "gunicorn")
    visitor.until("/library/", "Library")
    assert visitor.ask(address, "HEAD").headers["Upload-Offset"] == str(half)
    visitor.ask(address, "PATCH", body[half:], Upload_Offset=str(half), **parts)

    progress = f"/library/binders/{binder}/uploads/"
    visitor.until(progress, r"being worked out\s+[1-9]\d* of 12002")
    kill(demo, "worker")
    visitor.until(progress, "last of them <a[^>]*>A long course|A long course</a> has arrived", 240)
    assert any("The worker ended; starting it again." in line for line in demo.said)
    assert any("The server ended; starting it again." in line for line in demo.said)


@pytest.mark.timeout(600)
def test_an_import_goes_on_after_its_worker_and_the_server_were_killed(demo):
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    count = 3000
    rows = [f"F{n:05d},Fay{n},Fault,Office,2026-01-05" for n in range(count)]
    text = "\n".join(["Number,First name,Last name,Unit,Hire date", *rows])
    edge = "edge-of-the-form"
    field = (
        f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="many.csv"\r\n\r\n{text}\r\n--{edge}--\r\n'
    )
    answer = visitor.ask(
        "/people/imports/", "POST", field.encode(), Content_Type=f"multipart/form-data; boundary={edge}"
    )
    address = urllib.parse.urlparse(answer.url).path
    columns = ["number", "given", "family", "unit", "hired"]
    chosen = {f"column-{n}": column for n, column in enumerate(columns)} | {"days": "day"}
    visitor.ask(address + "columns/", "POST", urllib.parse.urlencode(chosen).encode())
    visitor.until(address, rf"Carry out {count} rows")
    visitor.ask(address + "apply/", "POST", b"")
    visitor.until(address, r"<b class=\"fig\">[1-9]\d*</b> of")
    kill(demo, "worker")
    kill(demo, "gunicorn")
    visitor.until(address, "Take the import back", 300)
    # Each of them once, though the piece under way was begun twice.
    found = visitor.page("/people/?q=Fault&state=all")
    assert re.search(rf"<h1>People</h1> ?<span[^>]*>{count}<", found)
    visitor.ask(address + "back/", "POST", b"")
    visitor.until(address, '<span class="muted">taken back')
    assert re.search(r"<h1>People</h1> ?<span[^>]*>0<", visitor.page("/people/?q=Fault"))


@pytest.mark.timeout(600)
def test_started_again_it_has_kept_its_data(demo):
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    before = re.search(r"<h1>People</h1> ?<span[^>]*>(\d+)", visitor.page("/people/"))[1]
    demo.stop()
    assert demo.said[-1] == "stopped"
    demo.said.clear()
    demo.start()
    assert not any("two years" in line for line in demo.said), "the demo was loaded anew"
    assert re.search(r"<h1>People</h1> ?<span[^>]*>(\d+)", visitor.page("/people/"))[1] == before


@pytest.mark.timeout(600)
def test_seats_that_were_confirmed_before_the_server_was_killed_are_there_and_no_others(demo):
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    row = r'href="(/sessions/\w+/)"[^>]*><b>[^<]*</b></a>\s*</th>\s*<td data-label="Where">\s*live online'
    online = re.search(row, visitor.page("/sessions/list/"))[1]
    listed = visitor.page(f"{online}book/")
    people = re.findall(r'value="(\w+)" data-tick aria-label="Choose ([^"]+)">', listed)[:14]
    assert len(people) == 14
    confirmed, unsure, some = [], [], threading.Event()

    def book():
        for key, name in people:
            try:
                answer = visitor.ask(f"{online}book/", "POST", urllib.parse.urlencode({"chosen": key}).encode())
                confirmed.append(name) if "1 booked" in answer.read().decode() else unsure.append(name)
            except (urllib.error.URLError, ConnectionError, http.client.HTTPException):
                unsure.append(name)
            if len(confirmed) == 3:
                some.set()

    booking = threading.Thread(target=book)
    booking.start()
    assert some.wait(120)
    kill(demo, "gunicorn")
    booking.join()
    page = visitor.until(online, "Roster")
    there = {f"{given} {family}" for family, given in re.findall(r"<b>([^<]+)</b>, ([^<]+?) <span", page)}
    assert confirmed
    assert unsure
    assert set(confirmed) <= there <= set(confirmed) | set(unsure)
    ladder = Path(__file__).resolve().parents[2] / "src/stepladder/config/ladder"
    checked = subprocess.run(
        [sys.executable, ladder, "verify", "--data", demo.data], capture_output=True, text=True, check=False
    )
    assert "are as they were written" in checked.stdout, checked.stdout + checked.stderr
