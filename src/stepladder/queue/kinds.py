"""What can be handed over in pieces. Apps hand theirs in at start, and say what tasks are called for people."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import timedelta
from typing import Any

__all__ = [
    "Kind",
    "add_kind",
    "describe",
    "elsewhere",
    "kind_named",
    "shown_elsewhere",
    "tried_again_after",
    "tries_after",
    "words_for",
]


@dataclass(frozen=True)
class Kind:
    """*run* does what is to be done for some ids, in the transaction of their piece: run(ids, act, **said). It may run twice.

    *find* gives the ids where the act does not name them: asked when the queue comes to it, so that nobody who came in
    meanwhile is missed. *description* completes "… of 3,000 people": "who needs what".
    """

    name: str
    description: str
    run: Callable[..., None]
    find: Callable[..., Sequence[int]] | None = None
    piece: int = 250


_kinds: dict[str, Kind] = {}
_elsewhere: set[str] = set()
# Three tries in all.
FEW_SECONDS = (timedelta(seconds=2), timedelta(seconds=4))
_pauses: dict[str, tuple[timedelta, ...]] = {}
_words: dict[str, Callable[[Mapping[str, Any]], str]] = {}


def add_kind(kind: Kind) -> None:
    _kinds[kind.name] = kind


def kind_named(name: str) -> Kind:
    return _kinds[name]


def describe(task: Any, words: Callable[[Mapping[str, Any]], str]) -> None:
    """Hand in what a task is called where it failed, from what it was given: “working out the file “fire.zip””."""
    _words[task.module_path] = words


def shown_elsewhere(error: type[Exception]) -> None:
    """Hand in what a task raises that has a page of its own for people: it is not shown as a task that failed."""
    _elsewhere.add(f"{error.__module__}.{error.__qualname__}")


def tried_again_after(task: Any, pauses: Sequence[timedelta]) -> None:
    """Hand in after which pauses a task is tried again that failed: one for each try, where seconds are not enough."""
    _pauses[task.module_path] = tuple(pauses)


def tries_after(path: str) -> tuple[timedelta, ...]:
    """The pauses before each further try of a task."""
    return _pauses.get(path, FEW_SECONDS)


def elsewhere() -> frozenset[str]:
    return frozenset(_elsewhere)


def words_for(path: str, said: Mapping[str, Any]) -> str:
    """What a task is called for people; its own name where nobody says."""
    if path not in _words:
        return path.rsplit(".", 1)[-1].replace("_", " ")
    return _words[path](said)
