"""Teaching in a room or live online. It comes from no file: it is planned, and done by being there."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Kind, Material, Worked

DEFAULT_SHARE = 80


def made(title: str, length: int, share: int, description: str = "") -> Worked:
    """A session of so many minutes, attended from a share of them on (percent, rule 9)."""
    return Worked(title, length, {"share": share}, description)


def threshold(data: Mapping[str, Any]) -> Fraction:
    """From which share of the time on somebody attended. Rule: 9."""
    return Fraction(int(data.get("share", DEFAULT_SHARE)), 100)


def work_out(material: Material) -> Worked:
    raise Unusable(f"“{material.name}” cannot become a session: a session is planned, and comes from no file.")


def fact(data: Mapping[str, Any]) -> str:
    return f"attended from {data.get('share', DEFAULT_SHARE)} % of the time on"


KIND = Kind(
    "session", (), frozenset(), work_out, fact, "done by attending a session", is_made_here=True, is_played=False
)
