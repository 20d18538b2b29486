"""A look at a source with many files and nothing new in it, and one that finds a few."""

from __future__ import annotations

import os
import time
from pathlib import Path
from tempfile import TemporaryDirectory

from django.test.utils import override_settings

from bench import check, company
from bench.assigning import ROWS
from stepladder import clock
from stepladder.library.actions import create_binder
from stepladder.sources.actions import create_source
from stepladder.sources.looking import look
from stepladder.sources.models import Source, SourceItem
from stepladder.sources.walking import digests_of, walk

A_FOLDER, NEW = 200, 10
LONG_AGO = 1_700_000_000


def run(count: int) -> list[str]:
    """Lines of what it came to with so many files, a few kilobytes each."""
    company.found(1)
    admin = company.administrator()
    binder = create_binder(name="Deck", owner=admin, by=company.BY)
    with TemporaryDirectory() as folder, override_settings(SOURCE_ROOTS=[Path(folder)], TASKS=ROWS):
        root = Path(folder) / "papers"
        for number in range(count):
            _write(root / f"{number // A_FOLDER:04d}" / f"{number:06d}.md", f"# Paper {number}\n\n" + "Word. " * 300)
        source = create_source(name="Papers", kind="folder", place="papers", binder=binder, by=admin)
        began = time.perf_counter()
        found = walk(root)
        digests = digests_of(root, found, {})
        read = time.perf_counter() - began
        SourceItem.objects.bulk_create(
            [
                SourceItem(
                    source=source, path=path, digest=digests[path], size=there.size, modified=there.modified,
                    changed_at=clock.now(),
                )
                for path, there in found.files.items()
            ],
            batch_size=500,
        )  # fmt: skip
        nothing = _look(source)
        check(source.items.filter(upload__isnull=False).count() == 0, "something was new")
        for number in range(NEW):
            _write(root / "new" / f"{number}.md", f"# New paper {number}")
        some = _look(source)
        check(source.items.filter(upload__isnull=False).count() == NEW, "what is new was not found")
    return [
        f"a source of {count:,} files: a look with nothing new {nothing:.1f} s (aim 5 s), one that finds {NEW} {some:.1f} s; "
        f"the first, which reads all of them, {read:.1f} s and the working out",
    ]


def _write(path: Path, text: str) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_text(text)
    os.utime(path, (LONG_AGO, LONG_AGO))


def _look(source: Source) -> float:
    source.refresh_from_db()
    began = time.perf_counter()
    look(source)
    return time.perf_counter() - began
