"""The strip under the stage: rungs of what was really watched or shown, thick where it was, and what is missing in words."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from stepladder.core.coverage import Interval, gaps, rungs, union
from stepladder.web.templatetags.web import duration

__all__ = ["Strip", "strip_of_media", "strip_of_pages"]

# In a film shorter than this a rung is a second.
MOST_RUNGS = 49
MOST_PAGE_RUNGS = 100
# So many gaps are named; of more, how many.
NAMED = 3


@dataclass(frozen=True)
class Strip:
    """Rungs, thick or thin; what the strip shows, in words; and what is missing, to be played by itself (from, to)."""

    rungs: Sequence[bool]
    words: str
    missing: Sequence[Interval] = ()

    @property
    def marks(self) -> str:
        """The rungs as a page draws them: 1 is thick."""
        return "".join("1" if thick else "0" for thick in self.rungs)


def strip_of_media(played: Iterable[Interval], seconds: float, *, verb: str) -> Strip:
    """Of film ("watched") and sound ("heard"). Rule: 8."""
    watched = union(played, seconds)
    drawn = rungs(watched, seconds, max(1, min(MOST_RUNGS, int(seconds))))
    missing = gaps(watched, seconds)
    return Strip(drawn, _media_words(watched, missing, seconds, verb), missing)


def _media_words(watched: Sequence[Interval], missing: Sequence[Interval], seconds: float, verb: str) -> str:
    if not watched:
        return f"Rungs grow thick where you have really {verb}. Jumping ahead adds nothing; any speed counts."
    if not missing:
        return f"You have {verb} all of it."
    furthest = watched[-1][1]
    jumped = [gap for gap in missing if gap[1] <= furthest]
    said = []
    if jumped:
        named = ", ".join(f"{_time(start)}–{_time(end)}" for start, end in jumped[:NAMED])
        more = len(jumped) - NAMED
        said.append(f"you jumped over {named}{f' and {more} more' if more > 0 else ''}")
    if missing[-1][1] > furthest:
        start, end = missing[-1]
        said.append("the end is missing" if end - start < 1 else f"the rest from {_time(start)} on is still to come")
    return f"Thick rungs are what you have really {verb}: {'; '.join(said)}."


def _time(seconds: float) -> str:
    return duration(seconds) if seconds >= 1 else "0:00"


def strip_of_pages(counted: Sequence[int], pages: int, word: str) -> Strip:
    """Of a document: a rung a page; of one with more pages than fit, a rung a few, thick when all of them counted. Rule: 8."""
    count = max(1, min(MOST_PAGE_RUNGS, pages))
    shown = set(counted)
    groups = [range(n * pages // count + 1, (n + 1) * pages // count + 1) for n in range(count)]
    drawn = [all(page in shown for page in group) for group in groups]
    words = f"Thick rungs are {word}s that counted: half of one in view for 2 seconds."
    return Strip(drawn, words)
