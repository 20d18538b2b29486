"""How long things are, in classes. Rule: 14."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

__all__ = ["LENGTHS", "Length"]


@dataclass(frozen=True)
class Length:
    """A class of lengths, in minutes: over *bounds[0]* up to and with *bounds[1]*; None where it has no end."""

    words: str
    bounds: tuple[int, int | None]


LENGTHS: Mapping[str, Length] = {
    "10": Length("up to 10 minutes", (0, 10)),
    "30": Length("10 to 30 minutes", (10, 30)),
    "60": Length("30 to 60 minutes", (30, 60)),
    "240": Length("1 to 4 hours", (60, 240)),
    "longer": Length("longer", (240, None)),
}
