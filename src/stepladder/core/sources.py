"""What a look at a source finds: what is new, changed, moved, gone and missing. Rule: 18."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from pathlib import PurePosixPath
from typing import Any, TypeVar

__all__ = ["GONE_FOR", "RIGHTS", "Known", "Looked", "compare", "narrower", "strongest"]

# What is gone in two looks that are so far apart is missing: a file that is just written anew is not.
GONE_FOR = timedelta(minutes=1)
# From the widest to the narrowest.
RIGHTS = ("keep", "play", "editors")
Key = TypeVar("Key")


@dataclass(frozen=True)
class Known:
    """A file as earlier looks left it: the digest of its content, since when it is gone, and whether it is missing by now."""

    digest: str
    gone_since: datetime | None = None
    is_missing: bool = False


@dataclass
class Looked:
    """What a look found, by paths. *moved* are (old path, new path); *displaced* are those whose path another file has now."""

    new: list[str] = field(default_factory=list)
    changed: list[str] = field(default_factory=list)
    moved: list[tuple[str, str]] = field(default_factory=list)
    back: list[str] = field(default_factory=list)
    gone: list[str] = field(default_factory=list)
    missing: list[str] = field(default_factory=list)
    displaced: list[str] = field(default_factory=list)


def compare(
    known: Mapping[str, Known], found: Mapping[str, str], at: datetime, *, unread: Collection[str] = ()
) -> Looked:
    """The files of earlier looks against those of one at an instant (path → digest). *unread* paths could not be looked at: of them
    nothing is said. Nothing is ever deleted by a look.
    """
    looked = Looked()
    moved = _moves(known, found, unread)
    away = set(moved.values())
    for path in sorted(found):
        if path in moved:
            looked.moved.append((moved[path], path))
            if path in known and path not in away:
                looked.displaced.append(path)
        elif path not in known:
            looked.new.append(path)
        elif known[path].digest != found[path]:
            # Its own content went elsewhere: what stands here is another file.
            (looked.new if path in away else looked.changed).append(path)
        elif known[path].gone_since is not None or known[path].is_missing:
            looked.back.append(path)
    for path in sorted(set(known) - set(found) - set(unread) - away):
        one = known[path]
        if one.is_missing:
            continue
        if one.gone_since is None:
            looked.gone.append(path)
        elif at - one.gone_since >= GONE_FOR:
            looked.missing.append(path)
    return looked


def _moves(known: Mapping[str, Known], found: Mapping[str, str], unread: Collection[str]) -> dict[str, str]:
    """New path → old path, of what has a known digest at another path while its old one is gone or has other content."""
    left: dict[str, list[str]] = {}
    for path in sorted(known):
        if found.get(path) != known[path].digest and path not in unread:
            left.setdefault(known[path].digest, []).append(path)
    moves: dict[str, str] = {}
    for path in sorted(found):
        if path in known and known[path].digest == found[path]:
            continue
        candidates = left.get(found[path], [])
        if candidates:
            # Of several of the same content, the one of the same name: whole folders are moved as well.
            name = PurePosixPath(path).name
            old = next((one for one in candidates if PurePosixPath(one).name == name), candidates[0])
            candidates.remove(old)
            moves[path] = old
    return moves


def strongest(
    edited: Collection[str], beside: Mapping[str, Any], said: Mapping[str, Any], defaults: Mapping[str, Any]
) -> dict[str, Any]:
    """Of each detail the strongest value: what was edited here is left alone; then the sheet *beside* the files, what the file *said*
    of itself, the source's *defaults*. Rights of a sheet only narrow the default.
    """
    found: dict[str, Any] = {}
    for values in (defaults, said, beside):
        for name, value in values.items():
            if name == "rights" and "rights" in found:
                value = narrower(str(found["rights"]), str(value))
            found[name] = value
    return {name: value for name, value in found.items() if name not in edited}


def narrower(one: str, other: str) -> str:
    """The right that allows less."""
    return max(one, other, key=RIGHTS.index)
