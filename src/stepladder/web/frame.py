"""The ladder: which rungs there are. Apps hand theirs in at start; accounts decides who sees which."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["Rung", "add_landing", "add_rung", "landings", "rungs"]


@dataclass(frozen=True, order=True)
class Rung:
    """A part of the job on the rail: its number is also its key."""

    number: int
    label: str
    address: str
    verb: str
    namespaces: tuple[str, ...]


_rungs: dict[int, Rung] = {}
_landings: list[tuple[int, str, str]] = []


def add_rung(number: int, label: str, address: str, *, verb: str, namespaces: tuple[str, ...]) -> None:
    """Hand in a rung; *verb* must be allowed to see it."""
    _rungs[number] = Rung(number, label, address, verb, namespaces)


def rungs() -> list[Rung]:
    """All rungs from the first to the last."""
    return [rung for _, rung in sorted(_rungs.items())]


def add_landing(order: int, address: str, *, verb: str) -> None:
    """Hand in a first page; the lowest order whose verb is allowed is where one lands."""
    if (order, address, verb) not in _landings:
        _landings.append((order, address, verb))


def landings() -> list[tuple[str, str]]:
    """(address, verb) of first pages, the preferred first."""
    return [(address, verb) for _, address, verb in sorted(_landings)]
