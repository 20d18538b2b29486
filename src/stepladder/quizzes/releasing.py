"""A quiz is released: what is wrong with it first, then a version of it that never changes."""

from __future__ import annotations

import math
from collections.abc import Sequence

from django.db import transaction

from stepladder.accounts import policy
from stepladder.core.questions import BY_HAND, Kind, faults_of, media_beside
from stepladder.core.quizzes import Counts, Plan, read_plan, shortages
from stepladder.journal.actions import Actor
from stepladder.library import storage
from stepladder.library.kinds import Worked
from stepladder.library.models import ModuleVersion
from stepladder.library.releasing import add_written, open_to_courses
from stepladder.quizzes.errors import NotReady
from stepladder.quizzes.models import PoolEntry, Question, Quiz, QuizVersion
from stepladder.quizzes.pools import pools_of_draft
from stepladder.writing.beside import versions_named

__all__ = ["problems_of_quiz", "release_quiz", "worth_a_thought"]

# So long is reckoned for a question where the quiz has no limit of its own.
MINUTES_A_QUESTION = 1.5


def problems_of_quiz(plan: Plan) -> list[str]:
    """What keeps a quiz from being released, each as a sentence without its end."""
    if not plan.count:
        return ["it asks nothing yet"]
    pools, rows = pools_of_draft(plan)
    found = []
    for short in shortages(plan, pools):
        where = f"section {short.section + 1}"
        if not short.pick.is_draw:
            found.append(f"a question in {where} is not there any more, or is asked by a draw before it")
        else:
            found.append(
                f"a draw in {where} asks for {short.pick.count} questions, and {short.found} "
                f"{'is' if short.found == 1 else 'are'} left for it"
            )
    used = {key for pool in pools.values() for key in pool}
    for key in sorted(used):
        newest = rows[key].newest
        assert newest is not None
        found += [f"“{rows[key].asked[:60]}” {fault}" for fault in faults_of(newest.data)]
    return found + _of_media([rows[key] for key in sorted(used)])


def _of_media(questions: Sequence[Question]) -> list[str]:
    named = {key: media_beside(row.newest.data) for key, row in enumerate(questions) if row.newest is not None}
    media = versions_named(name for names in named.values() for name in names)
    found = []
    for key, names in named.items():
        asked = f"“{questions[key].asked[:60]}”"
        for name in names:
            version = media.get(name)
            if version is None:
                found.append(f"{asked} has a film or sound beside it that is gone from the library")
            elif version.module.kind == "video" and not storage.has_derived(version, "captions.vtt"):
                found.append(f"{asked} has “{version.module.title}” beside it, which has no captions")
    return found


def worth_a_thought(plan: Plan) -> list[str]:
    """What may well be meant, and is told before a quiz is released."""
    found, conditions = [], plan.conditions
    pools, rows = pools_of_draft(plan)
    by_hand = sum(rows[key].kind in BY_HAND for key in {key for pool in pools.values() for key in pool})
    if by_hand:
        found.append(f"{by_hand} of its questions wait for a marker: nobody knows their result at once")
    if conditions.counts == Counts.FIRST and conditions.attempts != 1:
        found.append("only the first attempt counts: who fails it cannot pass by another one")
    if conditions.pass_mark is None:
        found.append("it has no pass mark: whoever hands it in has passed, whatever was answered")
    if conditions.minutes and conditions.minutes * 2 < plan.count:
        found.append(f"{plan.count} questions in {conditions.minutes} minutes leave less than half a minute for each")
    if any(weight is not None for weight in (section.weight for section in plan.sections)) and any(
        not section.count for section in plan.sections
    ):
        found.append("a section without questions has no part in the score")
    return found


@transaction.atomic
def release_quiz(*, quiz: Quiz, by: Actor, note: str = "") -> ModuleVersion:
    """A new version: the plan as it is now, with what the banks say now. Papers under way stay on theirs. Raises NotReady."""
    module = quiz.module
    policy.require(by, "change modules", module)
    quiz.refresh_from_db(from_queryset=Quiz.objects.select_for_update().select_related("module__binder"))
    plan = read_plan(quiz.plan)
    if found := problems_of_quiz(plan):
        raise NotReady(found)
    pools, rows = pools_of_draft(plan)
    used = {key for pool in pools.values() for key in pool}
    conditions = plan.conditions
    data = {
        "questions": plan.count,
        "minutes": conditions.minutes,
        "attempts": conditions.attempts,
        "pass_mark": None if conditions.pass_mark is None else int(conditions.pass_mark),
        "is_marked": any(Kind(rows[key].kind) in BY_HAND for key in used),
    }
    minutes = conditions.minutes or math.ceil(plan.count * MINUTES_A_QUESTION)
    worked = Worked(module.title, minutes, data, module.description)
    version = add_written(module=module, worked=worked, note=note, by=by)
    said = QuizVersion.objects.create(version=version, plan=quiz.plan)
    PoolEntry.objects.bulk_create(
        (
            PoolEntry(quiz=said, section=section, place=place, wording=rows[key].newest)
            for (section, place), pool in pools.items()
            for key in pool
        ),
        batch_size=500,
    )
    open_to_courses(module=module, by=by)
    quiz.has_changes = False
    quiz.save(update_fields=["has_changes"])
    return version
