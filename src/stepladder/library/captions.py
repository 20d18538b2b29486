"""Captions of a film, checked before they are kept: a player leaves out in silence what it cannot read."""

from __future__ import annotations

from datetime import timedelta

import webvtt
from webvtt.errors import MalformedFileError

from stepladder.library.errors import Unusable

__all__ = ["read_captions"]

ARROW = "-->"


def read_captions(text: str) -> str:
    """The captions (WebVTT) as they are kept. Raises Unusable, which names the first cue that cannot be read."""
    text = text.lstrip("\ufeff")
    try:
        cues = webvtt.from_string(text).captions
    except MalformedFileError:
        raise Unusable(
            "These are no WebVTT captions: the file begins with WEBVTT and has a time on each cue. Export them as .vtt."
        ) from None
    # The reader passes over a cue whose times it cannot read, so those that are meant are counted beside it.
    meant = [(number, line) for number, line in enumerate(text.splitlines(), 1) if ARROW in line]
    if not meant:
        raise Unusable("There is no cue in these captions: a line like 00:01.000 --> 00:04.000 with text below it.")
    if len(cues) < len(meant):
        known = {(cue.start, cue.end) for cue in cues}
        number, line = next((n, x) for n, x in meant if _times(x) not in known)
        raise Unusable(
            f"The times of line {number} cannot be read: “{line.strip()[:60]}”. They are written 00:01.000 --> 00:04.000."
        )
    for cue in cues:
        if cue.end_in_seconds < cue.start_in_seconds:
            start = timedelta(seconds=cue.start_in_seconds)
            raise Unusable(f"The cue that begins at {start} ends before it begins. Put its times right.")
    return text


def _times(line: str) -> tuple[str, str] | None:
    """Begin and end as the reader writes them; None where it cannot read them."""
    found = webvtt.from_string(f"WEBVTT\n\n{line.strip()}\ntext\n").captions
    return (found[0].start, found[0].end) if found else None
