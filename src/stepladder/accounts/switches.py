"""What an organisation may not want, and switches off: apps hand in what there is, and ask whether it is on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from stepladder.accounts.organisation import organisation

__all__ = ["Switch", "add_switch", "is_on", "switches"]


@dataclass(frozen=True)
class Switch:
    """Something people may do, or see of each other. *hides*: what nobody sees any more where it is off; *kept*: what is there of it
    now, and comes back with it, in words ("" where there is nothing)."""

    name: str
    label: str
    hides: str
    kept: Callable[[], str] = lambda: ""


_switches: dict[str, Switch] = {}


def add_switch(switch: Switch) -> None:
    """Hand in something that can be switched off."""
    _switches[switch.name] = switch


def switches() -> list[Switch]:
    """Everything that can be switched off, as it was handed in."""
    return list(_switches.values())


def is_on(name: str) -> bool:
    """Whether the organisation wants it."""
    return name not in organisation().switched_off
