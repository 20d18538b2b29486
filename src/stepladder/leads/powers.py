"""The powers of a lead that some app acts on: only these are offered and shown, whatever a lead was given besides."""

from __future__ import annotations

from collections.abc import Iterable

from stepladder.core.leads import Power

__all__ = ["act_on", "in_words", "offered"]

_acted_on: set[Power] = set()


def act_on(*powers: Power) -> None:
    """Hand in powers that do something from now on."""
    _acted_on.update(powers)


def offered() -> list[Power]:
    """The powers that do something, in their order."""
    return [power for power in Power if power in _acted_on]


def in_words(powers: Iterable[str]) -> list[str]:
    """Those of a lead's powers that do something, as one reads them."""
    held = set(powers)
    return [str(power) for power in offered() if power in held]
