"""Large files: received in parts beside a plain stream to disk, and played by ranges beside the whole file sent plainly."""

from __future__ import annotations

import base64
import os
import resource
import time
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from django.conf import settings
from django.http import FileResponse
from django.test import Client
from django.test.utils import override_settings
from django.urls import reverse

from bench import check, company
from bench.assigning import ROWS
from stepladder import clock
from stepladder.library import storage
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, ModuleVersion, StoredFile, Upload
from stepladder.playing.media import media_url

PART, RANGE = 8 * 1024**2, 4 * 1024**2
ROUNDS = 3


def run(megabytes: int) -> list[str]:
    """Lines of what it came to for a file of so many megabytes."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, by=company.BY)
    client = Client()
    client.force_login(admin)
    part, count = os.urandom(PART), megabytes * 1024**2 // PART
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with override_settings(TASKS=ROWS, UPLOAD_LIMIT_BYTES=2 * megabytes * 1024**2):
        received = _timed(lambda: _send(client, binder.public_id, part, count))
    grown = (resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - most) / 1024
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
        f"received, {size:.0f} MB in parts of {PART // 1024**2} MB: {received:.1f} s; a plain stream to disk {plain:.1f} s, "
        f"ratio {received / plain:.2f} (aim 1.5); memory grew by {grown:.0f} MB",
        f"played from the start on: {size / open_ended:.0f} MB a second; the whole file plainly {size / whole:.0f}, "
        f"ratio {whole / open_ended:.2f} (aim 0.9); by ranges of {RANGE // 1024**2} MB, each asked for by itself, "
        f"{size / ranges:.0f}, ratio {whole / ranges:.2f}",
    ]


def _send(client: Client, binder: str, part: bytes, count: int) -> None:
    said = {"filename": "film.mp4", "binder": binder}
    header = ",".join(f"{key} {base64.b64encode(value.encode()).decode()}" for key, value in said.items())
    size = {"Upload-Length": str(count * len(part)), "Upload-Metadata": header}
    address = client.post(reverse("library:uploads"), headers=size).headers["Location"]
    for number in range(count):
        answer = client.patch(
            address,
            part,
            headers={"Upload-Offset": str(number * len(part))},
            content_type="application/offset+octet-stream",
        )
        check(answer.status_code == 204, f"a part answered {answer.status_code}")


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
