"""Reading what lies in a watched folder: bounded, and never out of it."""

from __future__ import annotations

import hashlib
import os
import time
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from django.conf import settings

from stepladder.sources.errors import SourceTrouble

__all__ = ["FileThere", "Walk", "digest_of", "digests_of", "place_of", "walk"]

MOST_FILES, DEEPEST = 100_000, 20
BLOCK = 1024 * 1024
# So many bytes are read in one look; the file that goes beyond is read to its end.
MOST_READ = 4 * 1024**3
# What was written so short a time ago may still be being written, in seconds.
JUST_WRITTEN = 3.0
LEFT_BY_OTHERS = frozenset({"thumbs.db", "desktop.ini"})


@dataclass(frozen=True)
class FileThere:
    """A file as the folder tells of it, without its having been read."""

    size: int
    modified: int


@dataclass
class Walk:
    """What lies in a folder, by path; folders and files that could not be looked at, and sentences on what was passed over."""

    files: dict[str, FileThere] = field(default_factory=dict)
    closed: set[str] = field(default_factory=set)
    problems: list[str] = field(default_factory=list)
    # Whether files were left for the next look.
    is_left: bool = False

    def is_unread(self, path: str) -> bool:
        """Whether nothing can be said of a path: it, or a folder above it, could not be looked at."""
        parts = path.split("/")
        return any("/".join(parts[:end]) in self.closed for end in range(1, len(parts) + 1))


def place_of(place: str) -> Path:
    """Where a source lies: in one of the folders that this installation may read. Raises SourceTrouble."""
    roots = [Path(root) for root in settings.SOURCE_ROOTS]
    for root in roots:
        path = Path(os.path.realpath(root / place.strip("/")))
        if path.is_relative_to(os.path.realpath(root)) and path.exists():
            return path
    named = " or ".join(f"“{root}”" for root in roots)
    raise SourceTrouble(f"There is no “{place[:200]}” in {named}. Is the share mounted? Nothing is taken for missing.")


def walk(root: Path) -> Walk:
    """Everything below a folder, without following a link. Raises SourceTrouble where the folder itself cannot be read."""
    found = Walk()
    try:
        _walk(root, "", 0, found)
    except OSError as error:
        raise SourceTrouble(f"The folder cannot be read: {error.strerror}.") from None
    return found


def _walk(folder: Path, path: str, depth: int, found: Walk) -> None:
    with os.scandir(folder) as entries:
        for entry in sorted(entries, key=lambda one: one.name):
            name = f"{path}{entry.name}"
            if entry.name.startswith((".", "~$")) or entry.name.lower() in LEFT_BY_OTHERS:
                continue
            if not entry.name.isprintable() or len(name) > 1000:
                found.problems.append(f"“{ascii(entry.name)[1:80]}” has a name that cannot be kept. Call it otherwise.")
            elif entry.is_symlink():
                found.problems.append(
                    f"“{name}” is a link and leads elsewhere: it is not followed. Put the file itself there."
                )
            elif entry.is_dir(follow_symlinks=False):
                if depth >= DEEPEST:
                    found.problems.append(f"“{name}” lies deeper than {DEEPEST} folders; it was not looked into.")
                    continue
                try:
                    _walk(Path(entry.path), f"{name}/", depth + 1, found)
                except OSError as error:
                    found.closed.add(name)
                    found.problems.append(f"The folder “{name}” cannot be read: {error.strerror}.")
            elif entry.is_file(follow_symlinks=False):
                _take(entry, name, found)


def _take(entry: os.DirEntry[str], name: str, found: Walk) -> None:
    try:
        stat = entry.stat(follow_symlinks=False)
    except OSError:
        # Gone between the list and the look.
        return
    if len(found.files) >= MOST_FILES:
        raise SourceTrouble(f"There are more than {MOST_FILES:,} files in it. Watch a folder inside it.")
    found.files[name] = FileThere(stat.st_size, stat.st_mtime_ns)


def digests_of(
    root: Path, found: Walk, known: Mapping[str, tuple[int, int, str]], *, most: int | None = None
) -> dict[str, str]:
    """Path → digest of what is whole; a file whose size and time are known is not read. What is still written is left unread.

    Of the others at most *most* are read, and so many bytes that it ends soon: the rest is unread, and *found* says that it was left.
    """
    unchanged = {path for path, there in found.files.items() if known.get(path, ())[:2] == (there.size, there.modified)}
    digests = {path: known[path][2] for path in unchanged}
    # What may have moved here comes first: its module should not be missing for long.
    away = {size for path, (size, _, _) in known.items() if path not in found.files}
    others = sorted(found.files.keys() - unchanged, key=lambda path: (found.files[path].size not in away, path))
    read = 0
    for path in others:
        if (most is not None and len(digests) - len(unchanged) >= most) or read > MOST_READ:
            found.closed.add(path)
            found.is_left = True
            continue
        digest = digest_of(root / path, found.files[path])
        if digest is None:
            found.closed.add(path)
        else:
            read += found.files[path].size
            digests[path] = digest
    return digests


def digest_of(path: Path, there: FileThere, into: Path | None = None) -> str | None:
    """The digest of a file, copied meanwhile where *into* is given; None where it is still being written, or cannot be read."""
    if time.time() - there.modified / 1e9 < JUST_WRITTEN:
        return None
    digest = hashlib.sha256()
    try:
        # Not through a link that somebody put in its place meanwhile.
        with os.fdopen(os.open(path, os.O_RDONLY | os.O_NOFOLLOW), "rb") as source:
            target = into.open("wb") if into else None
            try:
                while block := source.read(BLOCK):
                    digest.update(block)
                    if target:
                        target.write(block)
            finally:
                if target:
                    target.close()
            stat = os.fstat(source.fileno())
    except OSError:
        return None
    return digest.hexdigest() if (stat.st_size, stat.st_mtime_ns) == (there.size, there.modified) else None
