"""Film: watched in the page, counted by what was really played."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from stepladder.library.kinds.base import Format, Kind
from stepladder.library.parsing.film import work_out_film
from stepladder.web.templatetags.web import duration


def describe(data: Mapping[str, Any]) -> str:
    return duration(data.get("seconds"))


def place(data: Mapping[str, Any], second: float) -> str:
    return duration(second) if second else "0:00"


FILM = Format(
    "film",
    "a film (.mp4)",
    "film",
    (".mp4", ".m4v", ".webm", ".mov"),
    frozenset({"video/mp4", "video/x-m4v", "video/webm", "video/quicktime"}),
    work_out_film,
)
KIND = Kind("video", describe, lambda data: "done at 90 % watched", formats=(FILM,), takes_captions=True, place=place)
