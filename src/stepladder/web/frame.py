"""The ladder: which rungs there are. Apps hand theirs in at start; accounts decides who sees which."""

from __future__ import annotations

from dataclasses import dataclass, replace

__all__ = [
    "FootPage",
    "OwnPage",
    "Rung",
    "add_foot_page",
    "add_landing",
    "add_own_page",
    "add_rung",
    "add_take_back",
    "foot_pages",
    "join_rung",
    "landings",
    "own_pages",
    "rungs",
    "take_back_address",
]


@dataclass(frozen=True, order=True)
class Rung:
    """A part of the job on the rail: its number is also its key."""

    number: int
    label: str
    address: str
    verb: str
    namespaces: tuple[str, ...]


@dataclass(frozen=True, order=True)
class OwnPage:
    """A page that everybody has of their own as a learner."""

    order: int
    label: str
    address: str


@dataclass(frozen=True, order=True)
class FootPage:
    """A page that is reached from the rail's foot: no part of the job, but at hand."""

    order: int
    label: str
    address: str
    verb: str


_rungs: dict[tuple[int, str], Rung] = {}
_joined: dict[int, set[str]] = {}
_foot_pages: list[FootPage] = []
_own_pages: list[OwnPage] = []
_take_back: list[str] = []
_landings: list[tuple[int, str, str]] = []


def add_rung(number: int, label: str, address: str, *, verb: str, namespaces: tuple[str, ...]) -> None:
    """Hand in a rung; *verb* must be allowed to see it. Of several with one number the first that is allowed is shown."""
    _rungs[number, address] = Rung(number, label, address, verb, namespaces)


def join_rung(number: int, namespace: str) -> None:
    """Hand in that the pages of a namespace belong to a rung of an app nearer the ground."""
    _joined.setdefault(number, set()).add(namespace)


def rungs() -> list[Rung]:
    """All rungs from the first to the last."""
    joined = (replace(rung, namespaces=(*rung.namespaces, *_joined.get(rung.number, ()))) for rung in _rungs.values())
    return sorted(joined)


def add_own_page(order: int, label: str, address: str) -> None:
    """Hand in a page of one's own: Up next, My record."""
    if OwnPage(order, label, address) not in _own_pages:
        _own_pages.append(OwnPage(order, label, address))


def own_pages() -> list[OwnPage]:
    """The pages of one's own, in order."""
    return sorted(_own_pages)


def add_foot_page(order: int, label: str, address: str, *, verb: str) -> None:
    """Hand in a page for the rail's foot."""
    if FootPage(order, label, address, verb) not in _foot_pages:
        _foot_pages.append(FootPage(order, label, address, verb))


def foot_pages() -> list[FootPage]:
    """The pages of the rail's foot, in order."""
    return sorted(_foot_pages)


def add_take_back(address: str) -> None:
    """Hand in the address that takes an act back; it takes the act's number in the journal."""
    _take_back[:] = [address]


def take_back_address() -> str:
    """The address that takes an act back."""
    return _take_back[0]


def add_landing(order: int, address: str, *, verb: str) -> None:
    """Hand in a first page; the lowest order whose verb is allowed is where one lands."""
    if (order, address, verb) not in _landings:
        _landings.append((order, address, verb))


def landings() -> list[tuple[str, str]]:
    """(address, verb) of first pages, the preferred first."""
    return [(address, verb) for _, address, verb in sorted(_landings)]
