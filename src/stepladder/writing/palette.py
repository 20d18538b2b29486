"""Whether a lesson's heads and text can be read on its paper: the contrast of the house's own colours, by light and by dark."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from pathlib import Path

from coloraide import Color

from stepladder import web
from stepladder.core.lessons import Options

__all__ = ["Contrast", "contrasts", "unreadable"]

# WCAG 2.2, 1.4.3; heads are large enough for less, and are held to the same.
LEAST = 4.5
_TOKEN = re.compile(r"--([\w-]+): light-dark\((oklch\([^)]*\)), (oklch\([^)]*\))\)")
_PAPERS = {"sheet": "sheet", "paper": "paper", "wash": "accent-wash"}


@dataclass(frozen=True)
class Contrast:
    """What is set on the paper, and its contrast at its worst of light and dark."""

    words: str
    ratio: float

    @property
    def is_enough(self) -> bool:
        return self.ratio >= LEAST


@cache
def _colours() -> dict[str, tuple[Color, Color]]:
    text = (Path(web.__file__).parent / "css" / "tokens.css").read_text(encoding="utf-8")
    return {name: (Color(light), Color(dark)) for name, light, dark in _TOKEN.findall(text)}


@cache
def _ratio(front: str, back: str) -> float:
    pairs = zip(_colours()[front], _colours()[back], strict=True)
    # Rounded down: what is told as enough is enough.
    return int(min(one.contrast(other) for one, other in pairs) * 10) / 10


def contrasts(options: Options) -> list[Contrast]:
    """Of heads, text and what is said beside it."""
    back = _PAPERS[options.paper]
    fronts = (("heads", options.head_colour), ("text", "ink"), ("links", "accent"))
    return [Contrast(words, _ratio(front, back)) for words, front in fronts]


def unreadable(options: Options) -> list[Contrast]:
    """What cannot be read well enough."""
    return [one for one in contrasts(options) if not one.is_enough]
