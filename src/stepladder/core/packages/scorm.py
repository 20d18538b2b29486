"""SCORM 1.2 and 2004 as run-times; names of elements as the standards have them."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from fractions import Fraction
from typing import Any

from stepladder.core.numbers import exact_number
from stepladder.core.packages.manifest import parse_duration
from stepladder.core.packages.runtime import LATE_LAUNCHES, Before, DoneWhen, Judged, Launch, RunState

__all__ = ["SCORM_12", "SCORM_2004"]

# The standards' words for a status. Anything else says nothing.
LESSON_STATUSES = frozenset({"passed", "completed", "failed", "incomplete", "browsed", "not attempted"})
COMPLETION_STATUSES = frozenset({"completed", "incomplete", "not attempted"})
SUCCESS_STATUSES = frozenset({"passed", "failed"})
JUDGEMENT = ("cmi.core.lesson_status", "cmi.core.score.", "cmi.completion_status", "cmi.success_status", "cmi.score.")


class _Scorm:
    """What both have in common."""

    exit: str
    session_time: str
    read_only: frozenset[str]

    def begin(self, state: RunState, launch: str) -> RunState:
        if state.launch == launch:
            return state
        last = self._session_seconds(state.values)
        lasting = {key: value for key, value in state.values.items() if key not in (self.exit, self.session_time)}
        # What each value was set by falls one launch back; the new launch's numbers begin above all of them.
        ranks = {key: min(seq, 0) - 1 for key, seq in state.seqs.items() if seq > -LATE_LAUNCHES}
        before = (Before(state.launch, last), *state.before) if state.launch else state.before
        return RunState(lasting, state.base_seconds + last, launch, ranks, before=before[:LATE_LAUNCHES])

    def take_late(self, state: RunState, launch: str, changes: Mapping[str, Any], *, mode: str) -> RunState:
        """It fills in what no later launch has set itself; the time that it tells is folded in as far as it was not yet.
        Raises ValueError for a launch that is none of those before.
        """
        rank = state.rank_of(launch)
        if not rank:
            raise ValueError(launch)
        values, seqs = dict(state.values), dict(state.seqs)
        for key, value in changes.items():
            of_the_launch = key in (self.exit, self.session_time)
            if not of_the_launch and seqs.get(key, rank) <= rank and self._may_set(key, mode):
                values[key], seqs[key] = value, rank
        told, folded = self._session_seconds(changes), state.before[-rank - 1].seconds
        return replace(
            state,
            values=values,
            seqs=seqs,
            base_seconds=state.base_seconds + max(0.0, told - folded),
            # A launch tells its time from its beginning on, so the longest that it told is all of it.
            before=tuple(Before(launch, max(told, folded)) if one.launch == launch else one for one in state.before),
        )

    def _session_seconds(self, values: Mapping[str, Any]) -> float:
        return parse_duration(str(values.get(self.session_time, ""))) or 0.0

    def goes_on(self, state: RunState) -> bool:
        return str(state.values.get(self.exit, "")) == "suspend" or not state.is_over

    def start_values(self, state: RunState, launch: Launch, *, resumes: bool, is_first: bool) -> dict[str, Any]:
        entry = "ab-initio" if is_first else ("resume" if resumes else "")
        # Never load exit or session time back: the package's session time would be counted again.
        left_out = self.read_only | {self.exit, self.session_time}
        values = {key: value for key, value in state.values.items() if key not in left_out}
        return values | self._given(state, launch, entry)

    def _given(self, state: RunState, launch: Launch, entry: str) -> dict[str, Any]:
        """What the run-time tells the package."""
        raise NotImplementedError

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
        """Older sequence numbers lose, per element, in whatever order they arrive; a number above the final one counts no
        more, one below it that was slower does. In review the place and the package's own data are kept, but no status and
        no score.
        """
        # A page that went on after it had said its last: what it sends is of nobody's doing.
        if state.final_seq is not None and seq > state.final_seq:
            return state
        values, seqs = dict(state.values), dict(state.seqs)
        for key, value in changes.items():
            if self._may_set(key, mode) and seqs.get(key, -1) < seq:
                values[key], seqs[key] = value, seq
        return replace(
            state,
            values=values,
            seqs=seqs,
            final_seq=seq if is_final else state.final_seq,
            has_left=state.has_left or is_leaving,
        )

    def _may_set(self, key: str, mode: str) -> bool:
        if not key.startswith("cmi.") or key in self.read_only:
            return False
        return mode == "normal" or not key.startswith(JUDGEMENT)

    def judge(
        self,
        state: RunState,
        *,
        mastery: str | None,
        threshold: str | None,
        is_asset: bool = False,
        done_when: DoneWhen = DoneWhen.SAID,
    ) -> Judged:
        seconds = state.base_seconds + self._session_seconds(state.values)
        if is_asset:
            return Judged("completed", True, None, seconds)
        return self._judge(state, mastery, threshold, seconds, done_when)

    def _judge(
        self, state: RunState, mastery: str | None, threshold: str | None, seconds: float, done_when: DoneWhen
    ) -> Judged:
        raise NotImplementedError


class _Scorm12(_Scorm):
    exit = "cmi.core.exit"
    session_time = "cmi.core.session_time"
    read_only = frozenset(
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
    )

    def _given(self, state: RunState, launch: Launch, entry: str) -> dict[str, Any]:
        given = {
            "cmi.core.student_id": launch.learner_id,
            "cmi.core.student_name": launch.learner_name,
            "cmi.core.entry": entry,
            "cmi.core.credit": "credit" if launch.mode == "normal" else "no-credit",
            "cmi.core.lesson_mode": launch.mode,
            "cmi.core.total_time": _timespan(state.base_seconds),
            "cmi.launch_data": launch.launch_data,
        }
        if launch.mastery is not None:
            given["cmi.student_data.mastery_score"] = launch.mastery
        return given

    def share_needed(self, mastery: str | None) -> Fraction | None:
        """Here it is written in per cent."""
        needed = exact_number(mastery)
        return None if needed is None else needed / 100

    def _judge(
        self, state: RunState, mastery: str | None, threshold: str | None, seconds: float, done_when: DoneWhen
    ) -> Judged:
        raw = exact_number(state.values.get("cmi.core.score.raw"))
        status = _status(state, "cmi.core.lesson_status", LESSON_STATUSES) or "not attempted"
        # A package that never set a status was begun all the same.
        if status == "not attempted" and state.is_over:
            status = "incomplete"
        needed = exact_number(mastery)
        if needed is not None and raw is not None:
            status = "passed" if raw >= needed else "failed"
        score = _share(raw, state, "cmi.core.score")
        # Said to be done before the score came: with a mark to reach, the score decides, if one comes.
        waits = needed is not None and raw is None and not state.has_ended
        done = {
            DoneWhen.SAID: status in ("passed", "completed") and not waits,
            DoneWhen.THROUGH: status in ("passed", "completed", "failed"),
            DoneWhen.PASSED: status == "passed",
        }
        return Judged(status, done[done_when], score, seconds)


class _Scorm2004(_Scorm):
    exit = "cmi.exit"
    session_time = "cmi.session_time"
    read_only = frozenset(
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
    )

    def _given(self, state: RunState, launch: Launch, entry: str) -> dict[str, Any]:
        given = {
            "cmi.learner_id": launch.learner_id,
            "cmi.learner_name": launch.learner_name,
            "cmi.entry": entry,
            "cmi.credit": "credit" if launch.mode == "normal" else "no-credit",
            "cmi.mode": launch.mode,
            "cmi.total_time": f"PT{state.base_seconds:.0f}S",
            "cmi.launch_data": launch.launch_data,
        }
        if launch.mastery is not None:
            given["cmi.scaled_passing_score"] = launch.mastery
        if launch.threshold is not None:
            given["cmi.completion_threshold"] = launch.threshold
        return given

    def share_needed(self, mastery: str | None) -> Fraction | None:
        return exact_number(mastery)

    def _judge(
        self, state: RunState, mastery: str | None, threshold: str | None, seconds: float, done_when: DoneWhen
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
        # "Passed" beside a step that stays open would be read as done.
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
    # A scale without length says nothing; a score of it is none.
    if most <= least:
        return None
    return max(Fraction(0), min(Fraction(1), (raw - least) / (most - least)))


def _timespan(seconds: float) -> str:
    whole = int(seconds)
    return f"{whole // 3600:04d}:{whole // 60 % 60:02d}:{whole % 60:02d}.00"


SCORM_12 = _Scorm12()
SCORM_2004 = _Scorm2004()
