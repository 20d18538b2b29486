"""Captions of a film, checked before they are kept: a player leaves out in silence what it cannot read."""

from __future__ import annotations

import re
from datetime import timedelta

import webvtt
from webvtt.errors import MalformedFileError

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Passage

__all__ = ["passages_of", "read_captions"]

ARROW = "-->"


def read_captions(text: str) -> str:
    """The captions as they are kept, WebVTT; SRT is made such. Raises Unusable, which names the first cue that cannot be read."""
    text = _as_webvtt(text.lstrip("\ufeff").replace("\r\n", "\n"))
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
    before = None
    for cue in cues:
        if before is not None and cue.start_in_seconds < before.start_in_seconds:
            start, first = timedelta(seconds=cue.start_in_seconds), timedelta(seconds=before.start_in_seconds)
            raise Unusable(
                f"The cues are out of order: one begins at {start}, after one that begins at {first}. Put them in order of time."
            )
        before = cue
        if cue.end_in_seconds < cue.start_in_seconds:
            start = timedelta(seconds=cue.start_in_seconds)
            raise Unusable(f"The cue that begins at {start} ends before it begins. Put its times right.")
    return text


def passages_of(text: str) -> list[Passage]:
    """The words of captions that were read, each with the second that it begins at."""
    said = ((cue.start_in_seconds, " ".join(cue.text.split())) for cue in webvtt.from_string(text).captions)
    return [Passage(second, words) for second, words in said if words]


# The times of a cue of SRT, which writes a comma where WebVTT has a point.
_SRT_TIMES = re.compile(r"^(\d{1,2}:\d\d:\d\d),(\d{3})(\s*-->\s*)(\d{1,2}:\d\d:\d\d),(\d{3})", re.MULTILINE)


def _as_webvtt(text: str) -> str:
    if text.startswith("WEBVTT") or not _SRT_TIMES.search(text):
        return text
    return "WEBVTT\n\n" + _SRT_TIMES.sub(lambda found: "{}.{}{}{}.{}".format(*_padded(found)), text)


def _padded(found: re.Match[str]) -> tuple[str, ...]:
    """Hours have two digits there."""
    start, start_ms, arrow, end, end_ms = found.groups()
    return start.zfill(8), start_ms, arrow, end.zfill(8), end_ms


def _times(line: str) -> tuple[str, str] | None:
    """Begin and end as the reader writes them; None where it cannot read them."""
    found = webvtt.from_string(f"WEBVTT\n\n{line.strip()}\ntext\n").captions
    return (found[0].start, found[0].end) if found else None
