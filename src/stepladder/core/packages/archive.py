"""Whether an archive may be unpacked at all."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

__all__ = ["MAX_FILES", "MAX_RATIO", "MAX_UNPACKED", "ArchiveError", "Entry", "check_entries", "common_folder"]

MAX_FILES = 20_000
MAX_UNPACKED = 4 * 1024**3
# Text packs at about 10 to 1; what unpacks to more than this is made to fill a disk. Small archives may be anything.
MAX_RATIO = 100
RATIO_COUNTS_FROM = 20 * 1024**2


class ArchiveError(ValueError):
    """An archive or manifest that cannot be used; the message says what is wrong and what to do."""


@dataclass(frozen=True)
class Entry:
    """An archive's entry as its directory lists it."""

    name: str
    size: int
    packed: int
    is_folder: bool = False
    is_link: bool = False
    is_encrypted: bool = False


def check_entries(entries: Iterable[Entry]) -> list[Entry]:
    """The files of an archive, safe to unpack. Raises ArchiveError for the first thing that is not."""
    files = []
    unpacked = packed = 0
    seen: set[str] = set()
    for entry in entries:
        _check_name(entry.name)
        if entry.is_encrypted:
            raise ArchiveError("The archive asks for a password. Export the package without one and upload it again.")
        if entry.is_link:
            raise ArchiveError(
                f"“{entry.name}” is a link to another file. Export the package again with real files in it."
            )
        if entry.is_folder:
            continue
        if entry.name in seen:
            raise ArchiveError(f"“{entry.name}” is in the archive twice. Export the package again.")
        seen.add(entry.name)
        files.append(entry)
        unpacked += entry.size
        packed += entry.packed
    if not files:
        raise ArchiveError("The archive is empty. Export the package again.")
    if len(files) > MAX_FILES:
        raise ArchiveError(f"The archive has {len(files)} files; {MAX_FILES} is the most. Split the package.")
    if unpacked > MAX_UNPACKED or (unpacked > RATIO_COUNTS_FROM and unpacked > MAX_RATIO * max(packed, 1)):
        raise ArchiveError(
            "The archive unpacks to far more than it holds, as if made to fill a disk. Nothing was unpacked. "
            "Export the package again."
        )
    return files


def _check_name(name: str) -> None:
    parts = name.replace("\\", "/").split("/")
    if name.startswith(("/", "\\")) or (len(name) > 1 and name[1] == ":"):
        raise ArchiveError(f"“{name}” is an absolute path. Zip the package’s folder with paths inside it only.")
    if ".." in parts:
        raise ArchiveError(f"“{name}” leads out of the package. Zip the package’s folder with paths inside it only.")
    if "\x00" in name or "\\" in name:
        raise ArchiveError(f"“{name!r}” has characters that no path may have. Rename the file and zip it again.")


def common_folder(names: Iterable[str]) -> str:
    """The one folder that everything is in ("course/"), or "" where there is none."""
    tops = {name.split("/", 1)[0] + "/" if "/" in name else "" for name in names}
    return tops.pop() if len(tops) == 1 else ""
