"""A large package on its way in: received in parts, then worked out, beside writing and unpacking it barely."""

from __future__ import annotations

import io
import os
import time
import zipfile
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from django.test import Client
from django.test.utils import override_settings
from django.urls import reverse

from bench import check, company
from bench.assigning import ROWS
from bench.serving import announced
from stepladder.config import demo
from stepladder.library import tasks
from stepladder.library.actions import create_binder
from stepladder.library.models import Upload

FILE = Path(demo.__file__).parent / "files/extinguishers-and-blankets.zip"
PART = 8 * 1024**2
# What a file of the package comes to: noise, that no packing makes smaller.
PICTURE = 100 * 1024


def run(megabytes: int) -> list[str]:
    """Lines of what it came to for a package of so many megabytes, a tenth as many pictures to each."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY)
    body = _package(megabytes)
    client = Client()
    client.force_login(admin)
    with override_settings(TASKS=ROWS):
        received = _timed(lambda: _send(client, binder.public_id, body))
    upload = Upload.objects.get()
    worked = _timed(lambda: tasks.work_out_upload.call(upload_id=upload.pk))
    upload.refresh_from_db()
    check(upload.state == Upload.State.DONE, f"the upload is {upload.state}: {upload.message}")
    with TemporaryDirectory() as folder:
        written = _timed(lambda: _write(Path(folder) / "a.zip", body))
        unpacked = _timed(lambda: zipfile.ZipFile(io.BytesIO(body)).extractall(folder))
    size = len(body) / 1024**2
    return [
        f"received, {size:.0f} MB in parts of {PART // 1024**2} MB: {received:.1f} s ({size / received:.0f} MB a second); "
        f"written barely {written:.2f} s, ratio {received / written:.1f}",
        f"worked out, {len(zipfile.ZipFile(io.BytesIO(body)).namelist()):,} files: {worked:.1f} s; "
        f"unpacked barely {unpacked:.1f} s, ratio {worked / unpacked:.1f}",
    ]


def _package(megabytes: int) -> bytes:
    """The demo's package, with pictures added that it does not need."""
    made = io.BytesIO(FILE.read_bytes())
    with zipfile.ZipFile(made, "a", zipfile.ZIP_STORED) as archive:
        for n in range(megabytes * 1024**2 // PICTURE):
            archive.writestr(f"pictures/{n:05d}.jpg", os.urandom(PICTURE))
    return made.getvalue()


def _send(client: Client, binder: str, body: bytes) -> None:
    begun = client.post(reverse("library:uploads"), headers=announced(len(body), filename="drills.zip", binder=binder))
    address = begun.headers["Location"]
    for at in range(0, len(body), PART):
        answer = client.patch(
            address,
            body[at : at + PART],
            headers={"Upload-Offset": str(at)},
            content_type="application/offset+octet-stream",
        )
        check(answer.status_code == 204, f"a part answered {answer.status_code}")


def _write(path: Path, body: bytes) -> None:
    with path.open("wb") as file:
        for at in range(0, len(body), PART):
            file.write(body[at : at + PART])
            file.flush()
            os.fsync(file.fileno())


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began
