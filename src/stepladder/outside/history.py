"""Files of what people completed before or elsewhere: judged row by row, recorded in pieces that each are one act, taken back so."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import IO

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.history_import import COLUMNS, HistoryWorld, RowVerdict, judge_rows, match_heads
from stepladder.courses.models import Course, Edition
from stepladder.events import Act, CompletionRecorded, CompletionRevoked, announce
from stepladder.facts import insert_facts, revoke_many, row_digest
from stepladder.journal.actions import Named, record
from stepladder.learning.actions import certificate_number
from stepladder.learning.models import Completion
from stepladder.learning.validity import refresh
from stepladder.outside.errors import OutsideError
from stepladder.outside.models import HistoryFile, HistoryRow, OutsideTraining
from stepladder.people.models import Person
from stepladder.queue.actions import in_pieces
from stepladder.tabular.reading import FileUnread, Table, read_table

__all__ = ["MOST_BYTES", "judge_file", "record_file", "record_rows", "return_file", "return_rows"]

MOST_BYTES = 30 * 1024**2
PIECE = 1_000
State = HistoryFile.State
# What can be recorded.
GOOD = (RowVerdict.COUNTS.value, RowVerdict.HISTORY.value)


def judge_file(*, sent: IO[bytes], name: str, size: int, by: Account) -> HistoryFile:
    """Read a file and say of each row what would become of it; nothing is recorded. Raises OutsideError."""
    policy.require(by, "change records")
    if not 0 < size <= MOST_BYTES:
        raise OutsideError(f"“{name}” is empty, or larger than {MOST_BYTES // 1024**2} MB. Split it.", "file")
    table = _read(sent, name)
    places, missing = match_heads(table.heads)
    if missing:
        raise OutsideError(
            f"“{name}” has no column {' and no column '.join(missing)}. Its columns are called: {', '.join(table.heads[:12])}.",
            "file",
        )
    judged = judge_rows(table.rows, table.numbers, places, _world())
    with transaction.atomic():
        file = HistoryFile.objects.create(name=name[:255], at=clock.now(), by_name=by.name, heads=table.heads)
        HistoryRow.objects.bulk_create(
            [
                HistoryRow(
                    file=file,
                    number=number,
                    cells=cells,
                    verdict=row.verdict.value,
                    reason=row.reason[:300],
                    person_id=row.person,
                    course_id=row.course,
                    title=row.title,
                    day=row.day,
                    own_expiry=row.own_expiry,
                    score=row.score,
                    provider=row.provider,
                    note=row.note,
                )
                for cells, number, row in zip(table.rows, table.numbers, judged, strict=True)
            ],
            batch_size=500,
        )
    return file


def _read(sent: IO[bytes], name: str) -> Table:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "given"
        with path.open("wb") as out:
            while block := sent.read(1024 * 1024):
                out.write(block)
        try:
            return read_table(path, name, names=lambda cells: len(match_heads(cells)[0]))
        except FileUnread as refusal:
            raise OutsideError(str(refusal), "file") from refusal


def _world() -> HistoryWorld:
    released = Edition.objects.filter(state=Edition.State.RELEASED).values("course")
    courses = Course.objects.filter(pk__in=released).values_list("title", "pk", "public_id")
    keys = {title.casefold(): key for title, key, _ in courses} | {public_id: key for _, key, public_id in courses}
    numbers = Person.objects.values_list("employee_number", "pk")
    completed = Completion.objects.known_now().values_list("person_id", "course_id", "day")
    outside = OutsideTraining.objects.filter(state=OutsideTraining.State.CONFIRMED, course__isnull=True)
    return HistoryWorld(
        {number.casefold(): key for number, key in numbers},
        keys,
        set(completed.iterator()),
        {(person, title.casefold(), day) for person, title, day in outside.values_list("person_id", "title", "day")},
        clock.today(),
        clock.calendar().order,
    )


def _named(file: HistoryFile) -> Named:
    return Named("history file", file.public_id, file.name)


@transaction.atomic
def record_file(*, file: HistoryFile, by: Account) -> int:
    """Record what the rows say that can be recorded; how many. Raises OutsideError."""
    policy.require(by, "change records")
    # Compare and set: of two who press at once one records it.
    if not HistoryFile.objects.filter(pk=file.pk, state=State.JUDGED).update(state=State.RECORDED):
        raise OutsideError("This file is recorded, or taken back, already.")
    keys = list(file.rows.filter(verdict__in=GOOD).order_by("number").values_list("pk", flat=True))
    if not keys:
        raise OutsideError("No row of this file can be recorded.")
    entry = record("record_history", by=by, about=_named(file), data={"count": len(keys)})
    in_pieces("history", ids=keys, act=entry.act, about=_named(file))
    return len(keys)


def record_rows(rows: Sequence[int], act: Act) -> None:
    """Record these rows, by key: once, however often it runs. What somebody recorded meanwhile is left as it is, and said of its row."""
    waiting = list(
        HistoryRow.objects.filter(pk__in=rows, training=None, verdict__in=GOOD)
        .select_related("course", "file")
        .order_by("pk")
    )
    if not waiting:
        return
    known = set(
        Completion.objects.known_now()
        .filter(person__in={row.person_id for row in waiting})
        .values_list("person_id", "course_id", "day")
    )
    overtaken = [row for row in waiting if row.course_id and (row.person_id, row.course_id, row.day) in known]
    HistoryRow.objects.filter(pk__in=[row.pk for row in overtaken]).update(
        verdict=RowVerdict.KNOWN.value, reason="It was recorded by somebody else meanwhile."
    )
    good = [row for row in waiting if row not in overtaken]
    counting = [row for row in good if row.course_id]
    editions = {
        edition.course_id: edition.pk
        for edition in Edition.objects.filter(
            course__in={row.course_id for row in counting}, state=Edition.State.RELEASED
        ).order_by("number")
    }
    said = [
        {
            "person_id": row.person_id,
            "course_id": row.course_id,
            "edition_id": editions[row.course_id],
            "enrolment_id": None,
            "day": row.day,
            "at": clock.now(),
            "score": row.score,
            "own_expiry": row.own_expiry,
            "number": certificate_number(),
        }
        for row in counting
        if row.course_id is not None
    ]
    written = insert_facts(Completion, said)
    completions = {row.pk: key for row, (_, key, _) in zip(counting, written, strict=True)}
    made = OutsideTraining.objects.bulk_create(
        [_training(row, completions.get(row.pk), act) for row in good], batch_size=500
    )
    for row, training in zip(good, made, strict=True):
        row.training = training
    HistoryRow.objects.bulk_update(good, ["training"], batch_size=500)
    file = waiting[0].file
    entry = record("record_history_rows", by=act.by, about=_named(file), data={"count": len(good)}, written=written)
    people, courses = _touched(counting)
    if people:
        refresh(people=people, courses=courses)
        announce(CompletionRecorded(tuple(completions.values()), people, courses), entry.act)


def _training(row: HistoryRow, completion: int | None, act: Act) -> OutsideTraining:
    assert row.person_id is not None, "a row that can be recorded names somebody"
    assert row.day is not None, "and a day"
    return OutsideTraining(
        person_id=row.person_id,
        course_id=row.course_id,
        title=row.course.title if row.course else row.title,
        day=row.day,
        own_expiry=row.own_expiry,
        provider=row.provider,
        note=row.note,
        state=OutsideTraining.State.CONFIRMED,
        asked_at=clock.now(),
        asked_by=act.by.name,
        decided_at=clock.now(),
        decided_by=act.by.name,
        completion_id=completion,
    )


def _touched(rows: Sequence[HistoryRow]) -> tuple[tuple[int, ...], tuple[int, ...]]:
    people = {row.person_id for row in rows if row.person_id is not None}
    courses = {row.course_id for row in rows if row.course_id is not None}
    return tuple(sorted(people)), tuple(sorted(courses))


@transaction.atomic
def return_file(*, file: HistoryFile, by: Account) -> int:
    """Take all of a file back: what it recorded never was. What was corrected or revoked since stays so. Raises OutsideError."""
    policy.require(by, "change records")
    if not HistoryFile.objects.filter(pk=file.pk, state=State.RECORDED).update(state=State.RETURNED):
        raise OutsideError("Only a file that is recorded can be taken back.")
    keys = list(file.rows.exclude(training=None).order_by("number").values_list("pk", flat=True))
    entry = record("return_history", by=by, about=_named(file), data={"count": len(keys)})
    in_pieces("history returned", ids=keys, act=entry.act, about=_named(file))
    return len(keys)


def return_rows(rows: Sequence[int], act: Act) -> None:
    """Revoke what these rows recorded: once, however often it runs."""
    some = list(
        HistoryRow.objects.filter(pk__in=rows, training__state=OutsideTraining.State.CONFIRMED).select_related(
            "training__completion", "file"
        )
    )
    if not some:
        return
    alive = [row for row in some if row.training and row.training.completion and not row.training.completion.is_revoked]
    keys = [row.training.completion_id for row in alive if row.training and row.training.completion_id]
    revoked = revoke_many(Completion, keys)
    written = [(fact._meta.db_table, fact.pk, row_digest(fact)) for fact in revoked]
    OutsideTraining.objects.filter(from_row__in=some).update(state=OutsideTraining.State.WITHDRAWN)
    entry = record(
        "return_history_rows", by=act.by, about=_named(some[0].file), data={"count": len(some)}, written=written
    )
    people, courses = _touched(alive)
    if people:
        refresh(people=people, courses=courses)
        announce(CompletionRevoked(people, courses), entry.act)


def sample() -> list[list[str]]:
    """Heads, and a row to be written over."""
    return [
        [label for label, _ in COLUMNS.values()],
        ["MS1001", "Sea survival basics", "14 Mar 2024", "14 Mar 2026", "85", "Holm School of Seamanship", ""],
    ]
