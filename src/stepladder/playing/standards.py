"""The standards that packages talk by: apps hand theirs in at start, the two of SCORM among them."""

from __future__ import annotations

from dataclasses import dataclass

from stepladder.core.packages.runtime import RunTime
from stepladder.playing.launches import Refused

__all__ = ["Standard", "add_standard", "is_known", "scripts", "standard_named", "standards"]


@dataclass(frozen=True)
class Standard:
    """A standard by the name that a version's data has for it: its run-time, and the two scripts (static files) of its page:
    *script* holds the interface that packages call, *wrapper* sends what they set.
    """

    name: str
    run_time: RunTime
    script: str
    wrapper: str = "playing/js/wrapper.js"


_standards: dict[str, Standard] = {}


def add_standard(standard: Standard) -> None:
    """Hand in a standard."""
    _standards[standard.name] = standard


def standards() -> list[Standard]:
    """All standards."""
    return list(_standards.values())


def is_known(name: str) -> bool:
    """Whether what speaks a standard is installed."""
    return name in _standards


def standard_named(name: str) -> Standard:
    """The standard of a version. Raises Refused where what speaks it is not installed any more."""
    if name not in _standards:
        raise Refused("What plays this package is not installed here any more. Tell whoever keeps the library.")
    return _standards[name]


def scripts() -> dict[str, str]:
    """What a page of a content host loads → static file."""
    found = {f"{standard.name}.js": standard.script for standard in standards()}
    return found | {f"{standard.name}.wrapper.js": standard.wrapper for standard in standards()}
