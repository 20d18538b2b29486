"""Sound: heard in the page, counted by what was really played."""

from __future__ import annotations

from collections.abc import Mapping
from math import ceil
from typing import Any

import av

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Kind, Material, Worked
from stepladder.web.templatetags.web import duration


def work_out(material: Material) -> Worked:
    """The length."""
    try:
        with av.open(str(material.path)) as sound:
            if not sound.streams.audio or not sound.duration:
                raise Unusable(f"“{material.name}” has no sound in it. Export it again.")
            seconds = round(sound.duration / 1_000_000, 3)
    except av.FFmpegError:
        raise Unusable(f"“{material.name}” cannot be played: it is damaged or cut off. Export it again.") from None
    return Worked(material.title, ceil(seconds / 60), {"seconds": seconds})


def describe(data: Mapping[str, Any]) -> str:
    return duration(data.get("seconds"))


KIND = Kind(
    "audio",
    describe,
    lambda data: "done at 90 % heard",
    asked_for="sound (.mp3)",
    dropped_as="sound",
    extensions=(".mp3", ".m4a", ".ogg"),
    types=frozenset({"audio/mpeg", "audio/mp4", "audio/x-m4a", "audio/ogg"}),
    work_out=work_out,
)
