"""Packages at run-time: what the core decides about their values, kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import timedelta
from fractions import Fraction
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.packages.prerequisites import is_open
from stepladder.core.packages.runtime import DoneWhen, Judged, Launch, RunState, RunTime
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.actions import check_place, finish_step, keep_attempt
from stepladder.learning.models import Attempt, StepDone
from stepladder.learning.time_spent import add_launch_time
from stepladder.library.models import ModuleVersion
from stepladder.playing.models import KEPT, ScoState, part_keys
from stepladder.playing.reading import Commit
from stepladder.playing.standards import standard_named
from stepladder.refusals import Refusal

__all__ = [
    "OtherLaunch",
    "PartClosed",
    "PartGone",
    "PartState",
    "Started",
    "TooMuch",
    "begin",
    "begin_trial",
    "commit",
    "mode_of",
    "parts_of",
    "try_again",
]

# What is kept of one part in one attempt, in letters: thirty times what SCORM 2004 has room for in its longest element.
MOST_KEPT = 2 * 1024**2
# What a page sends as it goes arrives within this, or never.
ON_THE_LINE = timedelta(seconds=60)
ANEW = (
    "This part is of another standard in the newer version, so it begins anew. "
    "What was done in the older one is kept in your record."
)


class OtherLaunch(Refusal):
    """A page of a package that was opened again elsewhere: what this one does is not kept any more."""

    def __init__(self) -> None:
        super().__init__(
            "This was opened again in another window or tab. Go on there: what you do here from now on is not kept."
        )


class TooMuch(Refusal):
    """What a package wants to have kept of one part comes to more than is kept."""

    def __init__(self) -> None:
        super().__init__(f"it comes to more than {MOST_KEPT // 1024**2} MB for this part")


class PartClosed(Refusal):
    """A part that opens only after others."""

    def __init__(self) -> None:
        super().__init__("This part opens when those it builds on are done.")


class PartGone(Refusal):
    """A part that the newer version of a package does not have, or not in this standard."""

    def __init__(self) -> None:
        super().__init__("This part is not in the newer version. Open the step again.")


@dataclass(frozen=True)
class Started:
    """A launch that begins: its name, the values to load before the package does, and what is said about it."""

    launch: str
    values: dict[str, Any]
    message: str = ""


def run_time_of(version: ModuleVersion) -> RunTime:
    """The run-time of a package's standard. Raises Refused where it is not installed any more."""
    return standard_named(version.data["standard"]).run_time


def mode_of(attempt: Attempt) -> str:
    """A step that is done is looked back at; nothing in it is judged again."""
    done = StepDone.objects.known_now().filter(enrolment=attempt.enrolment, module=attempt.module).exists()
    return "review" if done else "normal"


@transaction.atomic
def begin(*, attempt: Attempt, sco: int) -> Started:
    """Each opening of the wrapper is a launch of its own: the one before is judged as it ended, and is out of date.

    Raises PlaceClosed, PartClosed.
    """
    asks = attempt.version.data["scos"][sco]
    standard, run_time = attempt.version.data["standard"], run_time_of(attempt.version)
    check_place(attempt.enrolment)
    if not parts_of(attempt.version, attempt)[sco].is_open:
        raise PartClosed
    row, _ = ScoState.objects.get_or_create(
        attempt=attempt, part=part_keys(attempt.version.data["scos"])[sco], defaults={"standard": standard}
    )
    message = _begin_anew(row, standard)
    # Before the launch that is judged now: ending it changes what they say.
    resumes, is_first = run_time.goes_on(row.state()), row.launches == 0
    _end(attempt, row, asks)
    row.mode = mode_of(attempt)
    row.launches += 1
    row.keep(run_time.begin(row.state(), new_public_id()))
    row.save()
    person = attempt.enrolment.person
    launch = _launch(asks, person.public_id, f"{person.family_name}, {person.given_name}", row.mode)
    if asks["is_asset"] and row.mode == "normal":
        # It does not talk to the run-time: shown is done.
        row.is_done = True
        row.save(update_fields=["is_done"])
        _roll_up(attempt, row.mode)
    values = run_time.start_values(row.state(), launch, resumes=resumes, is_first=is_first)
    return Started(row.launch, values, message)


def _begin_anew(row: ScoState, standard: str) -> str:
    """Values of one standard mean nothing in the other; what was done of the part stays done."""
    if row.standard in ("", standard):
        return ""
    row.keep(RunState(base_seconds=row.base_seconds))
    row.standard, row.launches = standard, 0
    return ANEW


def _end(attempt: Attempt, row: ScoState, asks: Mapping[str, Any]) -> None:
    """The launch before has ended, also where its page never said so (a crash, a flat battery): it is judged as that.

    Not where it spoke a moment ago: its score may be on the line still, behind this launch, and be too low.
    """
    if not row.launch or row.mode != "normal" or row.state().has_ended or clock.now() - attempt.last_at < ON_THE_LINE:
        return
    row.has_left = True
    row.is_done = row.is_done or _judged(attempt, row, asks).is_done
    row.save()
    _roll_up(attempt, row.mode)


def begin_trial(version: ModuleVersion, sco: int) -> Started:
    """For somebody who tries a package: of nobody, from the beginning, and nothing of it is kept."""
    launch = _launch(version.data["scos"][sco], "trial", "Trial", "browse")
    values = run_time_of(version).start_values(RunState(), launch, resumes=False, is_first=True)
    return Started("trial", values)


def _launch(asks: Mapping[str, Any], learner_id: str, learner_name: str, mode: str) -> Launch:
    return Launch(learner_id, learner_name, mode, asks["mastery"], asks["threshold"], asks["launch_data"])


@transaction.atomic
def commit(*, attempt: Attempt, part: str, sent: Commit) -> None:
    """Take changed values over, judge them, and finish the step where all its parts are done.

    What a page sent as it went may arrive when other launches have begun: of the few just before it is still taken.
    Raises OtherLaunch, PartGone, TooMuch, PlaceClosed.
    """
    check_place(attempt.enrolment)
    scos, standard = attempt.version.data["scos"], attempt.version.data["standard"]
    run_time = run_time_of(attempt.version)
    rows = {row.part: row for row in ScoState.objects.filter(attempt=attempt)}
    row = rows.get(part)
    if part not in part_keys(scos) or row is None or row.standard != standard:
        # The version was replaced while this page was open.
        raise PartGone
    asks = scos[part_keys(scos).index(part)]
    state = row.state()
    rank = state.rank_of(sent.launch or row.launch)
    if rank == 0:
        state = run_time.commit(
            state,
            sent.changes,
            seq=sent.seq,
            is_final=sent.is_final,
            is_leaving=sent.is_leaving,
            mode=row.mode,
        )
    elif rank is not None and (sent.is_leaving or sent.is_parting):
        state = run_time.take_late(state, sent.launch, sent.changes, mode=row.mode)
    else:
        raise OtherLaunch
    # Of the whole state, not of what was sent: many small commits come to the same.
    if sum(len(key) + len(str(value)) for key, value in state.values.items()) > MOST_KEPT:
        raise TooMuch
    row.keep(state)
    judged = _judged(attempt, row, asks)
    row.is_done = row.is_done or judged.is_done
    row.save(update_fields=[*KEPT, "is_done"])
    if rank == 0:
        # What it reports of this launch; nothing is what a package says that keeps no time.
        session = judged.seconds - row.base_seconds
        source = f"{part}:{row.launch}"[:250]
        add_launch_time(attempt=attempt, source=source, reported=session if session > 0 else None)
    _roll_up(attempt, row.mode, rows)


def _judged(attempt: Attempt, row: ScoState, asks: Mapping[str, Any]) -> Judged:
    return run_time_of(attempt.version).judge(
        row.state(),
        mastery=asks["mastery"],
        threshold=asks["threshold"],
        is_asset=asks["is_asset"],
        done_when=DoneWhen(attempt.version.data.get("done_when", DoneWhen.SAID)),
    )


@dataclass(frozen=True)
class PartState:
    """A part of a package as its learner sees it: *depth* chapters deep, under *chapters* that begin with it.

    *failed*: judged so in what was kept last; then *score* and *needed* are shares, where there are any.
    """

    number: int
    title: str
    chapters: tuple[tuple[int, str], ...]
    depth: int
    is_done: bool
    is_open: bool
    failed: bool = False
    score: Fraction | None = None
    needed: Fraction | None = None


def parts_of(version: ModuleVersion, attempt: Attempt | None) -> list[PartState]:
    """The parts of a package in order; in a trial all are open and none is done."""
    scos, keys = version.data["scos"], part_keys(version.data["scos"])
    rows = {row.part: row for row in ScoState.objects.filter(attempt=attempt)} if attempt else {}
    done = {scos[n]["key"] for n, key in enumerate(keys) if key in rows and rows[key].is_done}
    known = {sco["key"] for sco in scos}
    found: list[PartState] = []
    before: tuple[str, ...] = ()
    for n, (key, sco) in enumerate(zip(keys, scos, strict=True)):
        row, chapters = rows.get(key), tuple(sco.get("chapters", ()))
        # A chapter is named once, above the first of its parts.
        same = next(
            (i for i, (a, b) in enumerate(zip(before, chapters, strict=False)) if a != b),
            min(len(before), len(chapters)),
        )
        judged = (
            _judged(attempt, row, sco)
            if attempt and row and not row.is_done and row.standard == version.data["standard"]
            else None
        )
        found.append(
            PartState(
                number=n,
                title=sco["title"] or f"Part {n + 1}",
                chapters=tuple(enumerate(chapters))[same:],
                depth=len(chapters),
                is_done=bool(row and row.is_done),
                is_open=attempt is None
                or bool(row and row.is_done)
                or is_open(sco.get("prerequisites", ""), done, known),
                failed=judged is not None and judged.status == "failed",
                score=judged.score if judged else None,
                needed=run_time_of(version).share_needed(sco["mastery"]),
            )
        )
        before = chapters
    return found


@transaction.atomic
def try_again(*, attempt: Attempt, by: Actor) -> int:
    """Begin the failed parts anew: what they kept goes, the time spent stays. How many there were."""
    policy.require(by, "learn", attempt)
    check_place(attempt.enrolment)
    keys = part_keys(attempt.version.data["scos"])
    failed = [keys[part.number] for part in parts_of(attempt.version, attempt) if part.failed]
    for row in ScoState.objects.filter(attempt=attempt, part__in=failed):
        session = _judged(attempt, row, attempt.version.data["scos"][keys.index(row.part)]).seconds
        row.keep(RunState(base_seconds=session))
        # As the first time: nothing is left that a package could go on from.
        row.launches = 0
        row.save()
    if failed:
        enrolment = attempt.enrolment
        data = {"module": attempt.module.title, "course": enrolment.course.title}
        person = enrolment.person
        record("try_again", by=by, about=Named("person", person.public_id, person.name), data=data)
    return len(failed)


def _roll_up(attempt: Attempt, mode: str, rows: Mapping[str, ScoState] | None = None) -> None:
    """The attempt's status, score and time from those of its parts (*rows*, where they were read already).

    Scores and times count to the end of the launch.
    """
    scos = attempt.version.data["scos"]
    if rows is None:
        rows = {row.part: row for row in ScoState.objects.filter(attempt=attempt)}
    parts = [(rows[key], asks) for key, asks in zip(part_keys(scos), scos, strict=True) if key in rows]
    judged = [_judged(attempt, row, asks) for row, asks in parts]
    is_done = len(parts) == len(scos) and all(row.is_done for row, _ in parts)
    scores = [j.score for j in judged if j.score is not None]
    # The mean of those that gave one: a part without a score is no nought.
    score = sum(scores, Fraction(0)) / len(scores) if scores else None
    seconds = round(sum(j.seconds for j in judged))
    status = judged[0].status if len(scos) == 1 else ("completed" if is_done else "incomplete")
    if mode == "normal":
        keep_attempt(attempt=attempt, data=attempt.data, seconds=seconds, status=status, score=score)
    if is_done:
        finish_step(attempt=attempt, score=score, by=attempt.enrolment.person.account)
