"""Packages at run-time: what the core decides about their values, kept."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from django.db import transaction

from stepladder.core.packages.runtime import (
    Judged,
    Launch,
    RunState,
    apply_commit,
    begin_launch,
    judge,
    start_values,
)
from stepladder.learning.actions import finish_step, keep_attempt
from stepladder.learning.models import Attempt, StepDone
from stepladder.library.models import ModuleVersion
from stepladder.playing.launches import LaunchToken
from stepladder.playing.models import ScoState
from stepladder.playing.reading import Commit

__all__ = ["begin", "begin_trial", "commit", "mode_of"]


def mode_of(attempt: Attempt) -> str:
    """A step that is done is looked back at; nothing in it is judged again."""
    done = StepDone.objects.filter(enrolment=attempt.enrolment, module=attempt.module).exists()
    return "review" if done else "normal"


def _sco(attempt: Attempt, sco: int) -> dict[str, Any]:
    found: dict[str, Any] = attempt.version.data["scos"][sco]
    return found


@transaction.atomic
def begin(*, attempt: Attempt, sco: int, said: LaunchToken) -> dict[str, Any]:
    """The values to load before a sco begins; folds the last launch's time in."""
    row, _ = ScoState.objects.get_or_create(attempt=attempt, sco=sco)
    standard = attempt.version.data["standard"]
    was_over, is_first = row.is_over, row.launches == 0
    state = begin_launch(row.state(), standard, said.launch)
    if row.launch != said.launch:
        row.launches += 1
    row.keep(state)
    row.save()
    asks = _sco(attempt, sco)
    person = attempt.enrolment.person
    launch = _launch(asks, person.public_id, f"{person.family_name}, {person.given_name}", said.mode)
    if asks["is_asset"] and said.mode == "normal":
        # It does not talk to the run-time: shown is done.
        row.is_done = True
        row.save(update_fields=["is_done"])
        _roll_up(attempt)
    return start_values(state, standard, launch, was_over=was_over, is_first=is_first)


def begin_trial(version: ModuleVersion, sco: int) -> dict[str, Any]:
    """The values for somebody who tries a package: of nobody, from the beginning, and nothing of it is kept."""
    launch = _launch(version.data["scos"][sco], "trial", "Trial", "browse")
    return start_values(RunState(), version.data["standard"], launch, was_over=True, is_first=True)


def _launch(asks: Mapping[str, Any], learner_id: str, learner_name: str, mode: str) -> Launch:
    return Launch(learner_id, learner_name, mode, asks["mastery"], asks["threshold"], asks["launch_data"])


@transaction.atomic
def commit(*, attempt: Attempt, sco: int, said: LaunchToken, sent: Commit) -> None:
    """Take changed values over, judge them, and finish the step where all its scos are done."""
    row = ScoState.objects.get(attempt=attempt, sco=sco)
    if row.launch != said.launch:
        # An older launch of the same sco in another tab: what it says is out of date.
        return
    standard = attempt.version.data["standard"]
    row.keep(apply_commit(row.state(), standard, sent.changes, seq=sent.seq, is_final=sent.is_final, mode=said.mode))
    row.is_done = row.is_done or _judged(attempt, row).is_done
    row.save()
    _roll_up(attempt)


def _judged(attempt: Attempt, row: ScoState) -> Judged:
    asks = _sco(attempt, row.sco)
    return judge(
        row.state(),
        attempt.version.data["standard"],
        mastery=asks["mastery"],
        threshold=asks["threshold"],
        is_asset=asks["is_asset"],
    )


def _roll_up(attempt: Attempt) -> None:
    """The attempt's status, score and time from those of its scos."""
    rows = {row.sco: row for row in ScoState.objects.filter(attempt=attempt)}
    judged = {sco: _judged(attempt, row) for sco, row in rows.items()}
    count = len(attempt.version.data["scos"])
    is_done = len(rows) == count and all(row.is_done for row in rows.values())
    scores = [j.score for j in judged.values() if j.score is not None]
    score = sum(scores, Fraction(0)) / len(scores) if scores else None
    seconds = round(sum(j.seconds for j in judged.values()))
    status = next(iter(judged.values())).status if count == 1 else ("completed" if is_done else "incomplete")
    if mode_of(attempt) == "normal":
        keep_attempt(attempt=attempt, data=attempt.data, seconds=seconds, status=status, score=score)
    if is_done:
        finish_step(attempt=attempt, score=score, by=attempt.enrolment.person.account)
