"""Large files: received in parts beside a plain stream to a server, and played by ranges beside the whole file sent plainly."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.conf import settings
from django.http import FileResponse
from django.test import Client
from django.urls import reverse

from bench import check, company
from bench.serving import APPLICATION, PLAIN, Server, announced, served
from stepladder import clock
from stepladder.library import storage
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, ModuleVersion, StoredFile, Upload
from stepladder.playing.media import media_url

# As the browser sends them; as it may ask for them.
PART, RANGE = 5 * 1024**2, 4 * 1024**2
ROUNDS = 3


def run(megabytes: int) -> list[str]:
    """Lines of what it came to for a file of so many megabytes."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, by=company.BY)
    client = Client()
    client.force_login(admin)
    part, count = os.urandom(PART), megabytes * 1024**2 // PART
    with patch.dict(os.environ, {"STEPLADDER_UPLOAD_LIMIT_MB": str(2 * megabytes)}), served(APPLICATION) as server:
        address, said = _announce(server, client.cookies["sessionid"].value, binder.public_id, count)
        least = server.most_memory()
        received = _timed(lambda: _send(server, address, said, part, count))
        grown = server.most_memory() - least
    with served(PLAIN) as server:
        streamed = _timed(lambda: _stream(server, part, count))
    upload = Upload.objects.get()
    path = storage.incoming(upload)
    check(path.stat().st_size == count * PART, "not all of it arrived")
    with TemporaryDirectory(dir=settings.MEDIA_ROOT) as folder:
        plain = _timed(lambda: _write(Path(folder) / "a", part, count))
    # What was received is played as if it were a film: only its bytes matter.
    stored = StoredFile.objects.create(sha256="0" * 64, size=path.stat().st_size, content_type="video/mp4")
    target = storage.file_of(stored)
    target.parent.mkdir(parents=True)
    path.rename(target)
    module = Module.objects.create(binder=binder, kind="video", title="Film", changed_at=clock.now())
    version = ModuleVersion.objects.create(
        module=module, number=1, original=stored, data={"seconds": 60}, made_at=clock.now(), made_by="Bench"
    )
    url = media_url(version.pk, admin.pk)
    open_ended = min(_timed(lambda: _from_the_start(client, url, stored.size)) for _ in range(ROUNDS))
    ranges = min(_timed(lambda: _by_ranges(client, url, stored.size)) for _ in range(ROUNDS))
    whole = min(_timed(lambda: _whole(target)) for _ in range(ROUNDS))
    size = stored.size / 1024**2
    return [
        f"received, {size:.0f} MB in parts of {PART // 1024**2} MB: {received:.1f} s; "
        f"one plain stream to a server that writes it to disk {streamed:.1f} s, ratio {received / streamed:.2f} (aim 1.5); "
        f"written without any server {plain:.1f} s; memory grew by {grown} MB",
        f"played from the start on: {size / open_ended:.0f} MB a second; the whole file plainly {size / whole:.0f}, "
        f"ratio {whole / open_ended:.2f} (aim 0.9); by ranges of {RANGE // 1024**2} MB, each asked for by itself, "
        f"{size / ranges:.0f}, ratio {whole / ranges:.2f}",
    ]


def _announce(server: Server, session: str, binder: str, count: int) -> tuple[str, dict[str, str]]:
    """Where the parts are sent, and what each says of who sends it."""
    said = {"Cookie": f"sessionid={session}; csrftoken={'c' * 32}", "X-CSRFToken": "c" * 32}
    about = announced(count * PART, filename="film.mp4", binder=binder)
    answer = server.ask("POST", reverse("library:uploads"), **said, **about)
    check(answer.status == 201, f"the announcement answered {answer.status}")
    return answer.headers["Location"], said | {"Content-Type": "application/offset+octet-stream"}


def _send(server: Server, address: str, said: dict[str, str], part: bytes, count: int) -> None:
    for number in range(count):
        answer = server.ask("PATCH", address, part, **said, **{"Upload-Offset": str(number * PART)})
        check(answer.status == 204, f"a part answered {answer.status}")


def _stream(server: Server, part: bytes, count: int) -> None:
    answer = server.ask("POST", "/", iter([part] * count), **{"Content-Length": str(count * PART)})
    check(answer.status == 204, f"the plain stream answered {answer.status}")


def _write(path: Path, part: bytes, count: int) -> None:
    with path.open("wb") as file:
        for _ in range(count):
            file.write(part)


def _by_ranges(client: Client, url: str, size: int) -> None:
    got = 0
    for at in range(0, size, RANGE):
        answer = client.get(url, headers={"Range": f"bytes={at}-{min(at + RANGE, size) - 1}"})
        check(answer.status_code == 206, f"a range answered {answer.status_code}")
        got += sum(len(block) for block in answer)
    check(got == size, "not all of it came")


def _from_the_start(client: Client, url: str, size: int) -> None:
    # As a browser plays: one range without an end.
    answer = client.get(url, headers={"Range": "bytes=0-"})
    check(answer.status_code == 206, f"a range answered {answer.status_code}")
    check(sum(len(block) for block in answer) == size, "not all of it came")


def _whole(path: Path) -> None:
    got = sum(len(block) for block in FileResponse(path.open("rb")))
    check(got == path.stat().st_size, "not all of it came")


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began
