"""Everything that writes the draft of a quiz. What leaves the draft is in releasing.py."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.quizzes import BadPlan, Pick, Plan, PlanSection, kept, read_plan
from stepladder.journal.actions import Actor
from stepladder.library.actions import create_draft
from stepladder.library.models import Binder
from stepladder.quizzes.errors import Unplanned
from stepladder.quizzes.kind import KIND
from stepladder.quizzes.models import Bank, Question, Quiz
from stepladder.web.sheets import TOUCHED, touch

__all__ = ["add_picks", "change_section", "create_quiz", "move_pick", "remove_pick", "set_conditions"]


@transaction.atomic
def create_quiz(*, binder: Binder, title: str, by: Actor, description: str = "") -> Quiz:
    """A quiz that asks nothing yet, as a draft that nobody can put into a course."""
    policy.require(by, "change modules", binder)
    module = create_draft(binder=binder, kind=KIND, title=title, by=by, description=description)
    return Quiz.objects.create(module=module, changed_at=clock.now(), changed_by=by.name)


def _opened(quiz: Quiz) -> Plan:
    """The plan as it is now. Within the transaction of the act."""
    quiz.refresh_from_db(from_queryset=Quiz.objects.select_for_update().select_related("module__binder"))
    return read_plan(quiz.plan)


def _keep(quiz: Quiz, plan: Plan, by: Actor) -> Quiz:
    try:
        checked = kept(read_plan(kept(plan)))
    except BadPlan as refusal:
        raise Unplanned(str(refusal)) from None
    if checked != quiz.plan:
        touch(quiz, revision=None, by_name=by.name)
        quiz.plan, quiz.has_changes = checked, True
        quiz.save(update_fields=[*TOUCHED, "plan", "has_changes"])
    return quiz


def _section_of(plan: Plan, section: int) -> PlanSection:
    if not 0 <= section < len(plan.sections):
        raise Unplanned("This section is gone: somebody took it out in the meantime.")
    return plan.sections[section]


@transaction.atomic
def add_picks(*, quiz: Quiz, section: int, picks: Sequence[Pick], by: Actor) -> Quiz:
    """Questions and draws at the end of a section; a question that the quiz asks already is left out. Raises Unplanned."""
    policy.require(by, "change modules", quiz.module)
    _check_own(picks, by)
    plan = _opened(quiz)
    chosen = {pick.question for one in plan.sections for pick in one.picks if pick.question}
    new = [pick for pick in picks if pick.is_draw or pick.question not in chosen]
    grown = replace(_section_of(plan, section), picks=(*_section_of(plan, section).picks, *new))
    return _keep(quiz, _with(plan, section, grown), by)


def _check_own(picks: Sequence[Pick], by: Actor) -> None:
    """Whoever has a quiz ask questions may see their answers: they are in a bank that is theirs to change."""
    mine = policy.visible(by, "change modules", Binder.objects.all())
    banks = {pick.bank for pick in picks if pick.is_draw}
    questions = {pick.question for pick in picks if not pick.is_draw}
    found = Bank.objects.filter(public_id__in=banks, binder__in=mine).count()
    found += Question.objects.filter(public_id__in=questions, bank__binder__in=mine, removed_at=None).count()
    if found < len(banks) + len(questions):
        raise Unplanned("A bank or question is gone, or in a binder that you do not edit. Choose another.")


def _with(plan: Plan, number: int, section: PlanSection) -> Plan:
    return plan.with_sections([section if at == number else one for at, one in enumerate(plan.sections)])


@transaction.atomic
def change_section(*, quiz: Quiz, section: int, do: str, by: Actor, said: Mapping[str, Any] | None = None) -> Quiz:
    """Add a section behind one, take one out, move it "up" or "down", or "set" its title, its words and its weight. Raises Unplanned."""
    policy.require(by, "change modules", quiz.module)
    plan = _opened(quiz)
    sections = list(plan.sections)
    chosen = _section_of(plan, section)
    if do == "add":
        sections.insert(section + 1, PlanSection())
    elif do == "remove":
        if len(sections) == 1:
            raise Unplanned("A quiz has at least one section. Take its questions out instead.")
        del sections[section]
    elif do in ("up", "down"):
        del sections[section]
        sections.insert(max(0, section + (1 if do == "down" else -1)), chosen)
    elif do == "set":
        sections[section] = read_plan({"sections": [{**asdict(chosen), "picks": [], **(said or {})}]}).sections[0]
        sections[section] = replace(sections[section], picks=chosen.picks)
    return _keep(quiz, plan.with_sections(sections), by)


@transaction.atomic
def remove_pick(*, quiz: Quiz, section: int, place: int, by: Actor) -> Quiz:
    """A question or draw that the quiz has no more. Raises Unplanned."""
    policy.require(by, "change modules", quiz.module)
    plan = _opened(quiz)
    one = _section_of(plan, section)
    return _keep(quiz, _with(plan, section, replace(one, picks=(*one.picks[:place], *one.picks[place + 1 :]))), by)


@transaction.atomic
def move_pick(*, quiz: Quiz, section: int, place: int, to: int, points: int | None, by: Actor) -> Quiz:
    """A pick at another place of its section, or with other points. Raises Unplanned."""
    policy.require(by, "change modules", quiz.module)
    plan = _opened(quiz)
    one = _section_of(plan, section)
    picks = list(one.picks)
    if not 0 <= place < len(picks):
        raise Unplanned("This question is gone: somebody took it out in the meantime.")
    pick = picks.pop(place)
    picks.insert(min(max(to, 0), len(picks)), replace(pick, points=pick.points if points is None else points))
    return _keep(quiz, _with(plan, section, replace(one, picks=tuple(picks))), by)


@transaction.atomic
def set_conditions(*, quiz: Quiz, conditions: Mapping[str, Any], by: Actor) -> Quiz:
    """How the quiz is taken, passed and told. Raises Unplanned."""
    policy.require(by, "change modules", quiz.module)
    plan = _opened(quiz)
    try:
        changed = read_plan({**kept(plan), "conditions": {**kept(plan)["conditions"], **conditions}})
    except BadPlan as refusal:
        raise Unplanned(str(refusal)) from None
    return _keep(quiz, changed, by)
