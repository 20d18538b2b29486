"""What a package's run-time data mean: where it begins, what a commit may change, and what it comes to.

The page only carries values; the decisions are here. SCORM 1.2 and 2004 (names of elements as the standards have them).
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

from stepladder.core.numbers import exact_number
from stepladder.core.packages.manifest import parse_duration

__all__ = [
    "Before",
    "DoneWhen",
    "Judged",
    "Launch",
    "RunState",
    "apply_commit",
    "begin_launch",
    "goes_on",
    "judge",
    "start_values",
    "take_late",
]

READ_ONLY = {
    "scorm12": frozenset(
        f"cmi.{name}"
        for name in (
            "core.student_id",
            "core.student_name",
            "core.credit",
            "core.entry",
            "core.total_time",
            "core.lesson_mode",
            "launch_data",
            "comments_from_lms",
            "student_data.mastery_score",
            "student_data.max_time_allowed",
            "student_data.time_limit_action",
        )
    ),
    "scorm2004": frozenset(
        f"cmi.{name}"
        for name in (
            "learner_id",
            "learner_name",
            "credit",
            "entry",
            "total_time",
            "mode",
            "launch_data",
            "completion_threshold",
            "scaled_passing_score",
            "max_time_allowed",
            "time_limit_action",
        )
    ),
}
NAMES = {
    "scorm12": {"exit": "cmi.core.exit", "session": "cmi.core.session_time", "total": "cmi.core.total_time"},
    "scorm2004": {"exit": "cmi.exit", "session": "cmi.session_time", "total": "cmi.total_time"},
}
# The standards' words for a status. Anything else says nothing.
LESSON_STATUSES = frozenset({"passed", "completed", "failed", "incomplete", "browsed", "not attempted"})
COMPLETION_STATUSES = frozenset({"completed", "incomplete", "not attempted"})
SUCCESS_STATUSES = frozenset({"passed", "failed"})
JUDGEMENT = ("cmi.core.lesson_status", "cmi.core.score.", "cmi.completion_status", "cmi.success_status", "cmi.score.")


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


def begin_launch(state: RunState, standard: str, launch: str) -> RunState:
    """The state at the start of a launch: the last one's time is folded in once; how it was left is its own affair."""
    if state.launch == launch:
        return state
    names = NAMES[standard]
    last = _session_seconds(state.values, standard)
    kept = {key: value for key, value in state.values.items() if key not in (names["exit"], names["session"])}
    ranks = {key: min(seq, 0) - 1 for key, seq in state.seqs.items() if seq > -LATE_LAUNCHES}
    before = (Before(state.launch, last), *state.before) if state.launch else state.before
    return RunState(kept, state.base_seconds + last, launch, ranks, before=before[:LATE_LAUNCHES])


def take_late(state: RunState, standard: str, launch: str, changes: Mapping[str, Any], *, mode: str) -> RunState:
    """What the page of a launch before sent as it went, arriving when another one has begun already (a reload on a slow line).

    It fills in what no later launch has set itself; the time that it tells is folded in as far as it was not yet.
    Raises ValueError for a launch that is none of those before.
    """
    rank, names = state.rank_of(launch), NAMES[standard]
    if not rank:
        raise ValueError(launch)
    values, seqs = dict(state.values), dict(state.seqs)
    for key, value in changes.items():
        if (
            key not in (names["exit"], names["session"])
            and seqs.get(key, rank) <= rank
            and _may_set(key, standard, mode)
        ):
            values[key], seqs[key] = value, rank
    told, folded = _session_seconds(changes, standard), state.before[-rank - 1].seconds
    return replace(
        state,
        values=values,
        seqs=seqs,
        base_seconds=state.base_seconds + max(0.0, told - folded),
        before=tuple(Before(launch, max(told, folded)) if one.launch == launch else one for one in state.before),
    )


def _session_seconds(values: Mapping[str, Any], standard: str) -> float:
    return parse_duration(str(values.get(NAMES[standard]["session"], ""))) or 0.0


def goes_on(state: RunState, standard: str) -> bool:
    """Whether the next launch goes on from this one: it was suspended, or never came to its end."""
    return str(state.values.get(NAMES[standard]["exit"], "")) == "suspend" or not state.is_over


def start_values(state: RunState, standard: str, launch: Launch, *, resumes: bool, is_first: bool) -> dict[str, Any]:
    """The flattened data model that the wrapper loads before the package begins; *resumes*: the launch before goes on."""
    names = NAMES[standard]
    entry = "ab-initio" if is_first else ("resume" if resumes else "")
    # Never load exit or session time back: the package's session time would be counted again.
    values = {
        key: value
        for key, value in state.values.items()
        if key not in (names["exit"], names["session"]) and key not in READ_ONLY[standard]
    }
    if standard == "scorm12":
        values |= {
            "cmi.core.student_id": launch.learner_id,
            "cmi.core.student_name": launch.learner_name,
            "cmi.core.entry": entry,
            "cmi.core.credit": "credit" if launch.mode == "normal" else "no-credit",
            "cmi.core.lesson_mode": launch.mode,
            "cmi.core.total_time": _timespan(state.base_seconds),
            "cmi.launch_data": launch.launch_data,
        }
        if launch.mastery is not None:
            values["cmi.student_data.mastery_score"] = launch.mastery
        return values
    values |= {
        "cmi.learner_id": launch.learner_id,
        "cmi.learner_name": launch.learner_name,
        "cmi.entry": entry,
        "cmi.credit": "credit" if launch.mode == "normal" else "no-credit",
        "cmi.mode": launch.mode,
        "cmi.total_time": f"PT{state.base_seconds:.0f}S",
        "cmi.launch_data": launch.launch_data,
    }
    if launch.mastery is not None:
        values["cmi.scaled_passing_score"] = launch.mastery
    if launch.threshold is not None:
        values["cmi.completion_threshold"] = launch.threshold
    return values


def apply_commit(
    state: RunState,
    standard: str,
    changes: Mapping[str, Any],
    *,
    seq: int,
    is_final: bool,
    mode: str,
    is_leaving: bool = False,
) -> RunState:
    """The state after a commit. Older sequence numbers lose, per element, in whatever order they arrive; a number above the
    final one counts no more, one below it that was slower does.

    In review the place and the package's own data are kept, but no status and no score.
    """
    if state.final_seq is not None and seq > state.final_seq:
        return state
    values, seqs = dict(state.values), dict(state.seqs)
    for key, value in changes.items():
        if _may_set(key, standard, mode) and seqs.get(key, -1) < seq:
            values[key], seqs[key] = value, seq
    return replace(
        state,
        values=values,
        seqs=seqs,
        final_seq=seq if is_final else state.final_seq,
        has_left=state.has_left or is_leaving,
    )


def _may_set(key: str, standard: str, mode: str) -> bool:
    if not key.startswith("cmi.") or key in READ_ONLY[standard]:
        return False
    return mode == "normal" or not key.startswith(JUDGEMENT)


class DoneWhen(StrEnum):
    """When a part of a package is done: as it says itself, once it was gone through whatever the score, or once it is passed."""

    SAID = "said"
    THROUGH = "through"
    PASSED = "passed"


def judge(
    state: RunState,
    standard: str,
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
    seconds = state.base_seconds + _session_seconds(state.values, standard)
    if is_asset:
        return Judged("completed", True, None, seconds)
    if standard == "scorm12":
        return _judge12(state, mastery, seconds, done_when)
    return _judge2004(state, mastery, threshold, seconds, done_when)


def _judge12(state: RunState, mastery: str | None, seconds: float, done_when: DoneWhen) -> Judged:
    raw = exact_number(state.values.get("cmi.core.score.raw"))
    status = _status(state, "cmi.core.lesson_status", LESSON_STATUSES) or "not attempted"
    if status == "not attempted" and state.is_over:
        status = "incomplete"
    needed = exact_number(mastery)
    if needed is not None and raw is not None:
        status = "passed" if raw >= needed else "failed"
    score = _share(raw, state, "cmi.core.score")
    waits = needed is not None and raw is None and not state.has_ended
    done = {
        DoneWhen.SAID: status in ("passed", "completed") and not waits,
        DoneWhen.THROUGH: status in ("passed", "completed", "failed"),
        DoneWhen.PASSED: status == "passed",
    }
    return Judged(status, done[done_when], score, seconds)


def _judge2004(
    state: RunState, mastery: str | None, threshold: str | None, seconds: float, done_when: DoneWhen
) -> Judged:
    completion = _status(state, "cmi.completion_status", COMPLETION_STATUSES) or "unknown"
    success = _status(state, "cmi.success_status", SUCCESS_STATUSES) or "unknown"
    progress = exact_number(state.values.get("cmi.progress_measure"))
    scaled = exact_number(state.values.get("cmi.score.scaled"))
    enough, needed = exact_number(threshold), exact_number(mastery)
    if enough is not None and progress is not None:
        completion = "completed" if progress >= enough else "incomplete"
    if needed is not None and scaled is not None:
        success = "passed" if scaled >= needed else "failed"
    done = success != "failed" and (completion == "completed" or (completion == "unknown" and success == "passed"))
    done = done and not (needed is not None and scaled is None and not state.has_ended)
    if done_when is not DoneWhen.SAID:
        through = completion == "completed" or success != "unknown"
        done = through if done_when is DoneWhen.THROUGH else success == "passed"
    if scaled is not None:
        score: Fraction | None = max(Fraction(0), min(Fraction(1), scaled))
    else:
        score = _share(exact_number(state.values.get("cmi.score.raw")), state, "cmi.score")
    status = success if success != "unknown" else {"unknown": "not attempted"}.get(completion, completion)
    if success == "passed" and not done:
        status = "incomplete"
    return Judged(status, done, score, seconds)


def _status(state: RunState, name: str, words: frozenset[str]) -> str:
    """The word that a package set, if it is one of the standard's; else ""."""
    value = state.values.get(name)
    return value if isinstance(value, str) and value in words else ""


def _share(raw: Fraction | None, state: RunState, prefix: str) -> Fraction | None:
    """The score between its least and its most (0 and 100 where the package does not say), as a share."""
    if raw is None:
        return None
    least = exact_number(state.values.get(f"{prefix}.min")) or Fraction(0)
    most = exact_number(state.values.get(f"{prefix}.max")) or Fraction(100)
    if most <= least:
        return None
    return max(Fraction(0), min(Fraction(1), (raw - least) / (most - least)))


def _timespan(seconds: float) -> str:
    whole = int(seconds)
    return f"{whole // 3600:04d}:{whole // 60 % 60:02d}:{whole % 60:02d}.00"
