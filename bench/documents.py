"""Many small files on their way in, one after the other: announced, sent, worked out in a process of their own, found by their words."""

from __future__ import annotations

import time
from pathlib import Path

from django.test import Client
from django.test.utils import override_settings
from django.urls import reverse

from bench import check, company
from bench.assigning import ROWS
from bench.serving import announced
from stepladder.config import demo
from stepladder.library import tasks
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, Upload
from stepladder.search import index

FOLDER = "files"
KINDS = (
    "radio-words.pdf",
    "dangerous-goods.docx",
    "lashing-a-lorry.pptx",
    "car-deck-weights.xlsx",
    "words-on-the-deck.md",
)


def run(count: int) -> list[str]:
    """Lines of what it came to for so many documents of five forms, each a little different."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, by=company.BY)
    client = Client()
    client.force_login(admin)
    bodies = {name: (Path(demo.__file__).parent / FOLDER / name).read_bytes() for name in KINDS}
    with override_settings(TASKS=ROWS):
        began = time.perf_counter()
        for number in range(count):
            name = KINDS[number % len(KINDS)]
            # Behind the end of a zip, of a PDF and of a text there may be anything: no two are the same file.
            _send(client, binder.public_id, f"{number} {name}", bodies[name] + b"\n%d" % number)
        sent = time.perf_counter() - began
        began = time.perf_counter()
        for upload in Upload.objects.filter(state=Upload.State.WAITING):
            tasks.work_out_upload.call(upload_id=upload.pk)
        worked = time.perf_counter() - began
    refused = Upload.objects.filter(state=Upload.State.REFUSED).values_list("message", flat=True)[:1]
    check(Module.objects.count() == count, f"{Module.objects.count()} of {count} were made; {list(refused)}")
    check(index.rank("module", "lorry", Module.objects.all(), order=["pk"]).total > 0, "no words are found")
    return [
        f"{count:,} small files sent one after the other: {1000 * sent / count:.0f} ms each ({10_000 * sent / count / 60:.1f} minutes "
        f"for 10,000)",
        f"worked out, each in a process of its own, and indexed: {1000 * worked / count:.0f} ms each "
        f"({3600 * count / worked:,.0f} an hour; aim 10,000)",
    ]


def _send(client: Client, binder: str, name: str, body: bytes) -> None:
    begun = client.post(reverse("library:uploads"), headers=announced(len(body), filename=name, binder=binder))
    answer = client.patch(
        begun.headers["Location"],
        body,
        headers={"Upload-Offset": "0"},
        content_type="application/offset+octet-stream",
    )
    check(answer.status_code == 204, f"a file answered {answer.status_code}")
