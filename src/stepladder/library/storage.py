"""Where files lie, and how they are read."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import IO

from django.conf import settings

from stepladder.identity import new_public_id
from stepladder.library.models import ModuleVersion, StoredFile, Upload

__all__ = [
    "derived_folder",
    "drop_workplace",
    "file_of",
    "free_bytes",
    "has_derived",
    "incoming",
    "keep",
    "old_workplaces",
    "outgoing",
    "package_folder",
    "take_derived",
    "workplace",
    "write_down",
]

BLOCK = 1024 * 1024


def _root() -> Path:
    return Path(settings.MEDIA_ROOT)


def incoming(upload: Upload) -> Path:
    """Where an upload is received."""
    path = _root() / upload.path
    path.parent.mkdir(parents=True, exist_ok=True)
    return path


def file_of(stored: StoredFile) -> Path:
    """Where an original lies."""
    return _root() / stored.path


def outgoing(public_id: str) -> Path:
    """Where a file lies that was made to be taken elsewhere."""
    folder = _root() / "outgoing"
    folder.mkdir(parents=True, exist_ok=True)
    return folder / public_id


def workplace() -> Path:
    """A new folder for what is derived of a file, until a version has it."""
    folder = _root() / "incoming" / f"work-{new_public_id()}"
    folder.mkdir(parents=True)
    return folder


def write_down(sent: IO[bytes], folder: Path) -> Path:
    """Write what was sent into a folder, piece by piece, under a name of our own."""
    given = folder / "given"
    with given.open("wb") as out:
        while block := sent.read(BLOCK):
            out.write(block)
    return given


def drop_workplace(folder: Path | None) -> None:
    """What was derived of a file is not needed after all."""
    if folder is not None:
        shutil.rmtree(folder, ignore_errors=True)


def old_workplaces(before: datetime) -> Iterator[Path]:
    """Folders that nobody came back for, from before an instant: the worker was stopped between deriving and keeping."""
    for folder in (_root() / "incoming").glob("work-*"):
        if datetime.fromtimestamp(folder.stat().st_mtime, UTC) < before:
            yield folder


def take_derived(version: ModuleVersion, folder: Path) -> None:
    """Move what was derived into a version's own folder; what it had of the same name is replaced, each in one step."""
    for path in folder.iterdir():
        path.replace(derived_folder(version) / path.name)
    folder.rmdir()


def derived_folder(version: ModuleVersion) -> Path:
    """What was worked out of a version: its still, pages as pictures, a reading copy."""
    folder = _root() / "derived" / version.public_id
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def has_derived(version: ModuleVersion, name: str) -> bool:
    """Whether a file of that name was worked out of a version."""
    return (_root() / "derived" / version.public_id / name).exists()


def package_folder(version: ModuleVersion) -> Path:
    """The unpacked files of a package."""
    folder = _root() / "packages" / version.public_id
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def keep(path: Path, content_type: str) -> StoredFile:
    """Move a file among the originals, once for each content."""
    digest = hashlib.sha256()
    with path.open("rb") as source:
        while block := source.read(BLOCK):
            digest.update(block)
    stored, _ = StoredFile.objects.get_or_create(
        sha256=digest.hexdigest(), defaults={"size": path.stat().st_size, "content_type": content_type}
    )
    target = file_of(stored)
    if not target.exists():
        target.parent.mkdir(parents=True, exist_ok=True)
        # In one step: a file that has its name is whole.
        shutil.copyfile(path, target.with_suffix(".part"))
        target.with_suffix(".part").replace(target)
    return stored


def free_bytes() -> int:
    """What is free where files are kept."""
    _root().mkdir(parents=True, exist_ok=True)
    return shutil.disk_usage(_root()).free
