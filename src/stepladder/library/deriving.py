"""What is derived of a file: pictures, a reading copy, its words by place. All of it can be made anew from the original."""

from __future__ import annotations

import shutil
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from django.db import transaction

from stepladder import clock
from stepladder.library import storage
from stepladder.library.captions import passages_of
from stepladder.library.kinds import Kind, Material, Worked, detect_type, format_for, kind_named
from stepladder.library.kinds.base import Progress
from stepladder.library.models import Derived, ModuleVersion, Passage
from stepladder.library.parsing.bounded import work_out_bounded
from stepladder.library.parsing.material import Passage as Words
from stepladder.web.templatetags.web import day

__all__ = ["PARSERS", "STAYS", "count_derived", "derive_anew", "keep_derived", "keep_passages", "process", "work_out"]

# Counted up where the parsers find more than they did: what was derived before is derived anew by the daily run.
PARSERS = 1
# What is not dropped for room: the picture that a thing is recognised by, and captions, which were given.
STAYS = frozenset({"still.jpg", "captions.vtt"})


def work_out(path: Path, name: str) -> tuple[Kind, Material, Worked]:
    """The kind that a file becomes, and what was worked out of it in a process of its own. Raises Unusable."""
    material = Material(path, name, detect_type(path))
    kind, form = format_for(material)
    folder = storage.workplace()
    try:
        worked = work_out_bounded(form.work_out, material, folder)
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    title = worked.title or f"A file of {day(clock.today())}"
    return kind, material, replace(worked, title=title, data={"format": form.name, **worked.data}, folder=folder)


def process(version: ModuleVersion, progress: Progress) -> None:
    """What is still to be done with a version that was kept, as its form has it."""
    form = kind_named(version.module.kind).format_of(version.data)
    if form is not None:
        form.process(version, progress)


def keep_derived(version: ModuleVersion, worked: Worked) -> None:
    """A version has what was derived of its file. Within a transaction."""
    if worked.still:
        (storage.derived_folder(version) / "still.jpg").write_bytes(worked.still)
    if worked.folder is not None:
        storage.take_derived(version, worked.folder)
    captions = storage.derived_folder(version) / "captions.vtt"
    # The words of film and sound are those of its captions, which were given, not derived.
    words = passages_of(captions.read_text(encoding="utf-8")) if captions.exists() else worked.passages
    keep_passages(version, words)
    version.derived_by = PARSERS
    version.save(update_fields=["derived_by"])
    count_derived(version)


def count_derived(version: ModuleVersion) -> None:
    """Write down how much room what was derived of a version takes; it is there, as of today."""
    size = sum(path.stat().st_size for path in storage.derived_folder(version).iterdir() if path.name not in STAYS)
    Derived.objects.update_or_create(
        version=version,
        defaults={"size": size, "used_on": clock.today(), "is_dropped": False, "asked_at": None, "trouble": ""},
    )


def keep_passages(version: ModuleVersion, passages: Sequence[Words]) -> None:
    """The words of a version by their places, in the stead of those it had."""
    version.passages.all().delete()
    Passage.objects.bulk_create(
        [Passage(version=version, place=words.place, title=words.title, text=words.text) for words in passages],
        batch_size=500,
    )


def derive_anew(version: ModuleVersion) -> None:
    """Make the pictures and words of a version anew from its original; what it is stays. Raises Unusable."""
    assert version.original is not None
    _, _, worked = work_out(storage.file_of(version.original), version.file_name)
    with transaction.atomic():
        keep_derived(version, worked)
