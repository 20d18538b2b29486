"""A quiz's plan as its author reads it: what each pick is, and how many questions there are for it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from stepladder.core.quizzes import Pick, Plan, PlanSection
from stepladder.quizzes.models import Bank, Question
from stepladder.quizzes.pools import pools_of_draft

__all__ = ["PickLine", "SectionLines", "sections_of", "topics_of"]


@dataclass(frozen=True)
class PickLine:
    """A pick in words; *found* is how many questions it may be of."""

    pick: Pick
    words: str
    found: int
    question: Question | None = None
    bank: Bank | None = None

    @property
    def is_short(self) -> bool:
        return self.found < self.pick.count


@dataclass(frozen=True)
class SectionLines:
    """A section with its picks."""

    section: PlanSection
    lines: Sequence[PickLine]


def sections_of(plan: Plan) -> list[SectionLines]:
    """The plan's sections, in a number of queries that does not grow with its picks."""
    pools, rows = pools_of_draft(plan)
    banks = {one.public_id: one for one in Bank.objects.filter(public_id__in=_banks_in(plan))}
    found = []
    for number, section in enumerate(plan.sections):
        lines = []
        for place, pick in enumerate(section.picks):
            pool = pools[number, place]
            if pick.is_draw:
                bank = banks.get(pick.bank)
                lines.append(PickLine(pick, _draw_words(pick, bank), len(pool), bank=bank))
            else:
                question = rows[pool[0]] if pool else None
                words = question.asked if question else "a question that is not there any more"
                lines.append(PickLine(pick, words, len(pool), question=question))
        found.append(SectionLines(section, lines))
    return found


def _banks_in(plan: Plan) -> set[str]:
    return {pick.bank for section in plan.sections for pick in section.picks if pick.is_draw}


def _draw_words(pick: Pick, bank: Bank | None) -> str:
    said = [f"{pick.count} drawn from “{bank.name}”" if bank else f"{pick.count} drawn from a bank that is gone"]
    said += [f"on “{pick.topic}”"] if pick.topic else []
    said += [pick.difficulty] if pick.difficulty else []
    said += [f"for “{pick.skill}”"] if pick.skill else []
    return ", ".join(said)


def topics_of(banks: Sequence[str]) -> list[str]:
    """The topics that questions of these banks have."""
    rows = Question.objects.filter(bank__public_id__in=banks, removed_at=None).exclude(topic="")
    return list(rows.values_list("topic", flat=True).distinct().order_by("topic")[:500])
