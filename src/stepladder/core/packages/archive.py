"""Whether an archive may be unpacked at all."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

__all__ = [
    "MAX_FILES",
    "MAX_RATIO",
    "MAX_UNPACKED",
    "ArchiveError",
    "Entry",
    "check_entries",
    "is_extra",
]

MAX_FILES = 20_000
MAX_UNPACKED = 4 * 1024**3
# Text packs at about 10 to 1; what unpacks to more than this is made to fill a disk. Small archives may be anything.
MAX_RATIO = 100
RATIO_COUNTS_FROM = 20 * 1024**2


# How many faults of a file are named; of more, how many.
SHOWN = 5
# What programs that handle files leave in folders: it belongs to no package.
EXTRAS = frozenset({".ds_store", "thumbs.db", "desktop.ini"})


class ArchiveError(ValueError):
    """An archive or manifest that cannot be used; the message says what is wrong and what to do."""

    @classmethod
    def of_all(cls, faults: Sequence[str]) -> ArchiveError:
        """One error of several faults, each a sentence."""
        single = list(dict.fromkeys(faults))
        more = len(single) - SHOWN
        return cls(" ".join(single[:SHOWN]) + (f" And {more} more fault{'s' if more > 1 else ''}." if more > 0 else ""))


@dataclass(frozen=True)
class Entry:
    """An archive's entry as its directory lists it."""

    name: str
    size: int
    packed: int
    is_folder: bool = False
    is_link: bool = False
    is_encrypted: bool = False


def is_extra(name: str) -> bool:
    """Whether a file is none of the package's own: a file manager's note, another system's copy of its own marks."""
    parts = name.replace("\\", "/").lower().split("/")
    return parts[0] == "__macosx" or parts[-1] in EXTRAS or parts[-1].startswith("._")


def check_entries(entries: Iterable[Entry]) -> list[Entry]:
    """The files of an archive, safe to unpack, with slashes between folders whatever wrote it; extras are left out.

    Raises ArchiveError with everything that is not safe.
    """
    files: list[Entry] = []
    faults: list[str] = []
    unpacked = packed = 0
    seen: set[str] = set()
    for listed in entries:
        entry = replace(listed, name=listed.name.replace("\\", "/"))
        if is_extra(entry.name):
            continue
        faults += _faults_of(entry)
        if entry.is_folder or entry.name.endswith("/"):
            continue
        if entry.name in seen:
            faults.append(f"“{entry.name}” is in the archive twice. Export the package again.")
        seen.add(entry.name)
        files.append(entry)
        unpacked += entry.size
        packed += entry.packed
    if faults:
        raise ArchiveError.of_all(faults)
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


def _faults_of(entry: Entry) -> list[str]:
    name, faults = entry.name, []
    if name.startswith("/") or (len(name) > 1 and name[1] == ":"):
        faults.append(f"“{name}” is an absolute path. Zip the package’s folder with paths inside it only.")
    if ".." in name.split("/"):
        faults.append(f"“{name}” leads out of the package. Zip the package’s folder with paths inside it only.")
    if "\x00" in name:
        faults.append(f"“{name!r}” has characters that no path may have. Rename the file and zip it again.")
    if entry.is_encrypted:
        faults.append("The archive asks for a password. Export the package without one and upload it again.")
    if entry.is_link:
        faults.append(f"“{name}” is a link to another file. Export the package again with real files in it.")
    return faults
