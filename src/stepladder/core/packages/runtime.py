"""What a run-time is: how a part of a package begins, what its commits may change, and what they come to.

The page only carries values; the decisions are here. The standards that are spoken are in scorm.py.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction
from typing import Any, Protocol

__all__ = ["LATE_LAUNCHES", "Before", "DoneWhen", "Judged", "Launch", "RunState", "RunTime"]

# Of so many launches before the current one what is still on the line is taken: pressing reload four times on a slow one.
LATE_LAUNCHES = 4


@dataclass(frozen=True)
class Before:
    """A launch before the current one, and how much of its time is in the base already."""

    launch: str
    seconds: float


@dataclass(frozen=True)
class RunState:
    """What is kept for an attempt at one sco.

    *values* is the flattened data model; *base_seconds* the time of earlier launches; *seqs* the newest sequence number
    that each element was set by in this launch, or -1 for the launch before, -2 for the one before that; *final_seq* the
    number of the commit by which it terminated, None before; *has_left* that its page has gone. *before* are the launches
    before, the newest first.
    """

    values: Mapping[str, Any] = field(default_factory=dict)
    base_seconds: float = 0.0
    launch: str = ""
    seqs: Mapping[str, int] = field(default_factory=dict)
    final_seq: int | None = None
    has_left: bool = False
    before: tuple[Before, ...] = ()

    @property
    def is_over(self) -> bool:
        """Whether this launch has terminated by itself."""
        return self.final_seq is not None

    @property
    def has_ended(self) -> bool:
        """Whether nothing more is to come of this launch: it terminated, or its page has gone."""
        return self.is_over or self.has_left

    def rank_of(self, launch: str) -> int | None:
        """0 for the current launch, -1 for the one before and so on; None for one that is unknown, or too long ago."""
        names = [self.launch, *(one.launch for one in self.before)]
        return -names.index(launch) if launch in names else None


@dataclass(frozen=True)
class Launch:
    """Who is launched into what: *mode* is "normal", "review" or "browse"."""

    learner_id: str
    learner_name: str
    mode: str = "normal"
    mastery: str | None = None
    threshold: str | None = None
    launch_data: str = ""


@dataclass(frozen=True)
class Judged:
    """What the values come to: the status in the standard's word, whether it is done, the score as a share, seconds."""

    status: str
    is_done: bool
    score: Fraction | None
    seconds: float


class DoneWhen(StrEnum):
    """When a part of a package is done: as it says itself, once it was gone through whatever the score, or once it is passed."""

    SAID = "said"
    THROUGH = "through"
    PASSED = "passed"


class RunTime(Protocol):
    """A standard by which packages talk: values in, values out. A state is what is kept of one part in one attempt."""

    def begin(self, state: RunState, launch: str) -> RunState:
        """The state at the start of a launch: the last one's time is folded in once; how it was left is its own affair."""

    def start_values(self, state: RunState, launch: Launch, *, resumes: bool, is_first: bool) -> dict[str, Any]:
        """What the page loads before the package begins; *resumes*: the launch before goes on."""

    def goes_on(self, state: RunState) -> bool:
        """Whether the next launch goes on from this one: it was suspended, or never came to its end."""

    def commit(
        self,
        state: RunState,
        changes: Mapping[str, Any],
        *,
        seq: int,
        is_final: bool,
        mode: str,
        is_leaving: bool = False,
    ) -> RunState:
        """The state after a commit. Older sequence numbers lose, in whatever order they arrive."""

    def take_late(self, state: RunState, launch: str, changes: Mapping[str, Any], *, mode: str) -> RunState:
        """What the page of a launch before sent as it went, arriving when another one has begun already."""

    def judge(
        self,
        state: RunState,
        *,
        mastery: str | None,
        threshold: str | None,
        is_asset: bool = False,
        done_when: DoneWhen = DoneWhen.SAID,
    ) -> Judged:
        """What the values come to now. Mastery and thresholds are applied at every commit, not only at the last.

        Where there is a mastery score, *completed* without a score is no verdict before the launch has ended: the score may
        still come, and fail.
        """

    def share_needed(self, mastery: str | None) -> Fraction | None:
        """The share that a mastery score comes to; None where there is none."""
