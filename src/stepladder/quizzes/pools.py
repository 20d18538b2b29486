"""Which questions the picks of a plan may be of: of banks as they are now, or as a quiz was released."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping

from django.db.models import Q

from stepladder.core.quizzes import Pick, Plan
from stepladder.quizzes.models import Question, QuizVersion

__all__ = ["pools_of_draft", "pools_of_version"]

Pools = dict[tuple[int, int], list[int]]


def _picks(plan: Plan) -> Iterator[tuple[tuple[int, int], Pick]]:
    for number, section in enumerate(plan.sections):
        for place, pick in enumerate(section.picks):
            yield (number, place), pick


def pools_of_draft(plan: Plan) -> tuple[Pools, Mapping[int, Question]]:
    """For each pick the keys of its questions, and the questions by key; in a number of queries that does not grow with the picks."""
    banks = {pick.bank for _, pick in _picks(plan) if pick.is_draw}
    named = {pick.question for _, pick in _picks(plan) if not pick.is_draw}
    rows = Question.objects.filter(removed_at=None).filter(Q(bank__public_id__in=banks) | Q(public_id__in=named))
    found = list(rows.select_related("newest", "bank").order_by("pk"))
    by_bank: dict[str, list[Question]] = defaultdict(list)
    for row in found:
        by_bank[row.bank.public_id].append(row)
    by_id = {row.public_id: row for row in found}
    pools: Pools = {}
    for at, pick in _picks(plan):
        if pick.is_draw:
            pools[at] = [row.pk for row in by_bank[pick.bank] if _fits(row, pick)]
        else:
            pools[at] = [by_id[pick.question].pk] if pick.question in by_id else []
    return pools, {row.pk: row for row in found}


def _fits(row: Question, pick: Pick) -> bool:
    return all(
        not getattr(pick, name) or getattr(row, name) == getattr(pick, name)
        for name in ("topic", "difficulty", "skill")
    )


def pools_of_version(quiz: QuizVersion) -> Pools:
    """For each pick the keys of the wordings that the version was released with."""
    pools: Pools = defaultdict(list)
    for section, place, wording in quiz.pool.order_by("pk").values_list("section", "place", "wording"):
        pools[section, place].append(wording)
    return pools
