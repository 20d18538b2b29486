"""Whether the files on disk are those that were uploaded."""

from __future__ import annotations

import hashlib
import zipfile
import zlib
from collections.abc import Iterator
from pathlib import Path

from stepladder.library import storage
from stepladder.library.models import ModuleVersion, StoredFile

__all__ = ["media_problems"]

BLOCK = 1024 * 1024


def media_problems() -> Iterator[str]:
    """A sentence for each original that is gone or has other content, and for each file of a package that is not as in it."""
    sound = set()
    for stored in StoredFile.objects.order_by("pk").iterator():
        path = storage.file_of(stored)
        if not path.exists():
            yield f"The file {stored.path} is gone."
        elif _digest(path) != stored.sha256:
            yield f"The file {stored.path} was changed."
        else:
            sound.add(stored.pk)
    for version in ModuleVersion.objects.filter(package_files__isnull=False).distinct().select_related("original"):
        if version.original is not None and version.original_id in sound:
            yield from _unpacked_problems(version, storage.file_of(version.original))


def _digest(path: Path) -> str:
    with path.open("rb") as source:
        return hashlib.file_digest(source, "sha256").hexdigest()


def _unpacked_problems(version: ModuleVersion, original: Path) -> Iterator[str]:
    """The package is proved by its digest, and its files by the sums in it; each lies under its place in the package."""
    folder = storage.package_folder(version)
    with zipfile.ZipFile(original) as archive:
        sums = {f"{info.header_offset:x}": info.CRC for info in archive.infolist()}
    for file in version.package_files.order_by("path"):
        path = folder / file.stored
        if not path.exists():
            yield f"“{file.path}” of “{version.file_name}” is gone."
        elif _sum(path) != sums.get(file.stored):
            yield f"“{file.path}” of “{version.file_name}” was changed."


def _sum(path: Path) -> int:
    found = 0
    with path.open("rb") as source:
        while block := source.read(BLOCK):
            found = zlib.crc32(block, found)
    return found
