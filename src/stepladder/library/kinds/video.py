"""Film: watched in the page, counted by what was really played."""

from __future__ import annotations

import io
from collections.abc import Mapping
from math import ceil
from typing import Any

import av

from stepladder.library.errors import Unusable
from stepladder.library.kinds.base import Kind, Material, Worked
from stepladder.web.templatetags.web import duration

STILL_WIDTH = 640


def work_out(material: Material) -> Worked:
    """Length, size and a still a tenth of the way in."""
    try:
        with av.open(str(material.path)) as film:
            if not film.streams.video:
                raise Unusable(
                    f"“{material.name}” has no picture in it. Upload sound as .mp3, or export the film again."
                )
            stream = film.streams.video[0]
            seconds = _seconds(film, stream)
            still = _still(film, stream, seconds)
            data = {
                "seconds": seconds,
                "width": stream.codec_context.width,
                "height": stream.codec_context.height,
                "has_sound": bool(film.streams.audio),
                "codec": stream.codec_context.name,
            }
    except av.FFmpegError:
        raise Unusable(
            f"“{material.name}” cannot be played: it is damaged or cut off. Export the film again."
        ) from None
    return Worked(material.title, ceil(seconds / 60), data, still=still)


def _seconds(film: Any, stream: Any) -> float:
    if film.duration:
        return round(float(film.duration) / 1_000_000, 3)
    return round(float(stream.duration * stream.time_base), 3) if stream.duration else 0.0


def _still(film: Any, stream: Any, seconds: float) -> bytes | None:
    film.seek(int(seconds / 10 * 1_000_000))
    for frame in film.decode(stream):
        picture = frame.to_image()
        picture.thumbnail((STILL_WIDTH, STILL_WIDTH))
        out = io.BytesIO()
        picture.save(out, "JPEG", quality=82)
        return out.getvalue()
    return None


def describe(data: Mapping[str, Any]) -> str:
    return duration(data.get("seconds"))


KIND = Kind(
    "video",
    describe,
    lambda data: "done at 90 % watched",
    asked_for="a film (.mp4)",
    dropped_as="film",
    extensions=(".mp4", ".m4v", ".webm", ".mov"),
    types=frozenset({"video/mp4", "video/x-m4v", "video/webm", "video/quicktime"}),
    work_out=work_out,
    takes_captions=True,
)
