"""What stands in the index of People: pages that apps hand in, and where a unit of the index leads."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from django.urls import reverse

from stepladder.charts.models import Unit

__all__ = ["IndexEntry", "add_entry", "entries", "lead_units_to", "unit_address"]


@dataclass(frozen=True, order=True)
class IndexEntry:
    """A page of the index: its order, label and address, the verb that one has to hold, and the addresses where it is the current one."""

    order: int
    label: str
    address: str
    verb: str
    current: tuple[str, ...]


_entries: list[IndexEntry] = []
_units: list[Callable[[Unit], str]] = []


def add_entry(order: int, label: str, address: str, *, verb: str, current: tuple[str, ...] = ()) -> None:
    """Hand in a page; without *current* it is the current one at its own address."""
    _entries.append(IndexEntry(order, label, address, verb, current or (address,)))


def entries() -> list[IndexEntry]:
    """Every page of the index, in order."""
    return sorted(_entries)


def lead_units_to(address: Callable[[Unit], str]) -> None:
    """Hand in where a unit of the index leads."""
    _units[:] = [address]


def unit_address(unit: Unit) -> str:
    """Where a unit of the index leads: to what was handed in, else to its own sheet."""
    return _units[0](unit) if _units else reverse("charts:node", args=[unit.chart_id, unit.public_id])
