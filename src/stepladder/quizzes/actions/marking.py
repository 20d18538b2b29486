"""What markers give answers that people judge: one of them, or two who do not see each other's, and a moderator between them."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.notices.actions import Message, tell
from stepladder.quizzes.errors import AlreadyMarked, OwnPaper, QuizError
from stepladder.quizzes.models import Answer, Marking, Paper
from stepladder.quizzes.notices import MARKED, path_to
from stepladder.quizzes.settling import settle

__all__ = ["mark_paper"]

Role = Marking.Role


@transaction.atomic
def mark_paper(*, paper: Paper, points: dict[int, int], notes: dict[int, str], by: Account, note: str = "") -> Paper:
    """Points for answers, by their places, each with words to whoever answered. Once all are settled the attempt has its score.

    Given again, they take the place of what one gave. Raises OwnPaper, AlreadyMarked, QuizError, CountedSince.
    """
    policy.require(by, "mark", paper.attempt.module)
    paper.refresh_from_db(from_queryset=Paper.objects.select_for_update().select_related("quiz"))
    person = paper.attempt.enrolment.person
    if person.account_id == by.pk:
        raise OwnPaper
    if paper.handed_in_at is None:
        raise QuizError("This is not handed in yet. Wait until it is.")
    answers = {answer.place: answer for answer in paper.answers.select_related("wording").filter(place__in=points)}
    for place, given in points.items():
        _give(paper, answers[place], given, notes.get(place, ""), by)
    was_marked = paper.score is not None
    if settle(paper, by=by, note=note) and not was_marked:
        fields = {"quiz": paper.attempt.module.title, "course": paper.attempt.enrolment.course.title}
        tell(MARKED.name, [Message(person, path_to(paper), fields)])
    return paper


def _give(paper: Paper, answer: Answer, points: int, note: str, by: Account) -> None:
    if not 0 <= points <= answer.points:
        raise QuizError(f"Question {answer.place} has between 0 and {answer.points} points.")
    role = _role_of(paper, answer, by)
    said = {"points": points, "note": note, "by": by, "by_name": by.name, "at": clock.now()}
    Marking.objects.update_or_create(answer=answer, role=role, defaults=said)
    given = {one.role: one for one in answer.markings.all()}
    holds = given.get(Role.MODERATOR) or _agreed(paper, given)
    answer.share, answer.note = (holds.share, holds.note) if holds else (None, "")
    answer.save(update_fields=["share", "note"])


def _role_of(paper: Paper, answer: Answer, by: Account) -> Role:
    given = {one.role: one for one in answer.markings.all()}
    if not paper.is_marked_twice:
        return Role.FIRST
    if mine := next((one for one in given.values() if one.by_id == by.pk), None):
        if mine.role != Role.MODERATOR and len(given) > 1:
            raise AlreadyMarked("You have marked this, and so has somebody else. What differs a third one settles.")
        return Role(mine.role)
    if Role.FIRST not in given:
        return Role.FIRST
    return Role.SECOND if Role.SECOND not in given else Role.MODERATOR


def _agreed(paper: Paper, given: dict[str, Marking]) -> Marking | None:
    """What holds without a moderator: the only marking, or the first of two that gave the same."""
    first, second = given.get(Role.FIRST), given.get(Role.SECOND)
    if not paper.is_marked_twice or first is None:
        return first
    return first if second is not None and first.points == second.points else None
