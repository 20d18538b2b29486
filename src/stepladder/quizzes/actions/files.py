"""Files that are given as an answer."""

from __future__ import annotations

from typing import IO

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.quizzes import is_over
from stepladder.journal.actions import Actor
from stepladder.learning.actions import check_place
from stepladder.library import storage
from stepladder.library.errors import Unusable
from stepladder.library.kinds import detect_type
from stepladder.library.uploads import KEPT_FREE
from stepladder.quizzes.errors import HandedIn, QuizError, TimeIsUp
from stepladder.quizzes.models import Answer, AnswerFile, Paper
from stepladder.quizzes.settling import judge

__all__ = ["MOST_BYTES", "MOST_FILES", "drop_file", "give_file"]

MOST_BYTES = 50 * 1024**2
MOST_FILES = 5


def give_file(*, paper: Paper, place: int, sent: IO[bytes], name: str, size: int, by: Actor) -> AnswerFile:
    """A file as (a part of) the answer to a question that asks for one. Raises Unusable, PlaceClosed, HandedIn, TimeIsUp, QuizError."""
    policy.require(by, "learn", paper.attempt)
    if not 0 < size <= MOST_BYTES:
        raise Unusable(f"“{name}” is empty, or larger than {MOST_BYTES // 1024**2} MB, the most that is taken.")
    if size + KEPT_FREE > storage.free_bytes():
        raise Unusable("The disk is almost full, so nothing was taken. Tell whoever gave you this quiz.")
    _open_answer(paper, place)
    folder = storage.workplace()
    try:
        # Written down before the transaction, which holds the pen.
        given = storage.write_down(sent, folder)
        with transaction.atomic():
            answer = _open_answer(paper, place)
            if answer.files.count() >= MOST_FILES:
                raise QuizError(f"An answer has at most {MOST_FILES} files. Take one out first.")
            stored = storage.keep(given, detect_type(given))
            made = AnswerFile.objects.create(answer=answer, stored=stored, name=name[:255])
            _count(answer)
    finally:
        storage.drop_workplace(folder)
    return made


@transaction.atomic
def drop_file(*, file: AnswerFile, by: Actor) -> None:
    """A file that is no part of the answer after all. Raises PlaceClosed, HandedIn, TimeIsUp."""
    policy.require(by, "learn", file.answer.paper.attempt)
    answer = _open_answer(file.answer.paper, file.answer.place)
    file.delete()
    _count(answer)


def _open_answer(paper: Paper, place: int) -> Answer:
    paper.refresh_from_db()
    check_place(paper.attempt.enrolment)
    if paper.handed_in_at is not None:
        raise HandedIn
    if is_over(paper.ends_at, clock.now()):
        raise TimeIsUp
    answer = paper.answers.select_related("wording__key_from").filter(place=place).first()
    if answer is None or answer.wording.data["kind"] != "file":
        raise QuizError("This question asks for no file.")
    return answer


def _count(answer: Answer) -> None:
    answer.given = [file.public_id for file in answer.files.all()] or None
    judge(answer)
    answer.revision += 1
    answer.saved_at = clock.now()
    answer.save(update_fields=["given", "chosen", "share", "revision", "saved_at"])
