"""Working out a plan, by the queue: it may be stopped and run again at any time."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from datetime import date, time
from functools import partial
from typing import Any

from django.db import DatabaseError, transaction
from django_tasks import task

from stepladder import clock
from stepladder.charts.models import Site
from stepladder.core.days import FOREVER
from stepladder.core.planning import Planned, PlanResult, Problem, Unmet, solve, unmet, without
from stepladder.core.planning.solving import STAGES
from stepladder.core.planning.wishes import Wish, wishes_of
from stepladder.planning.errors import PlanningError
from stepladder.planning.models import Plan, PlanSession
from stepladder.planning.reading import people_of, problem_of

__all__ = ["SECONDS", "make_plan", "words"]

logger = logging.getLogger(__name__)
State = Plan.State
# So long the best plan is looked for; then so long, for each wish, what there would be without it.
SECONDS, SECONDS_A_WISH = 45.0, 12.0


@task()
def make_plan(key: int) -> None:
    """Find the plan, and then what each wish costs."""
    plan = Plan.objects.select_related("module", "account", "language_field").filter(pk=key).first()
    if plan is None or not plan.is_under_way:
        return
    Plan.objects.filter(pk=key).update(state=State.WORKING, stage=0, stages=len(STAGES) + 1)
    try:
        needed = people_of(plan)
        problem = problem_of(plan, needed)
        result = solve(problem, seconds=SECONDS, beat=partial(_beat, key))
    except PlanningError as refusal:
        Plan.objects.filter(pk=key).update(state=State.FAILED, trouble=str(refusal))
        return
    except DatabaseError:
        # It may be over in a moment: the queue tries again.
        raise
    except Exception as error:
        logger.exception("Plan %s could not be worked out.", key)
        trouble = (
            f"It could not be worked out: {type(error).__name__}: {str(error)[:200]}. Ask for fewer people or days."
        )
        Plan.objects.filter(pk=key).update(state=State.FAILED, trouble=trouble)
        return
    wishes = wishes_of(problem) if result.late or len(result.new) > 1 else []
    _keep(plan, needed, problem, result, wishes)
    _weigh(plan, problem, wishes)


def _beat(key: int, stage: int) -> None:
    Plan.objects.filter(pk=key).update(stage=stage + 1)


@transaction.atomic
def _keep(plan: Plan, needed: Mapping[int, date], problem: Problem, result: PlanResult, wishes: list[Wish]) -> None:
    plan.sessions.all().delete()
    PlanSession.objects.bulk_create([_session(plan, one) for one in result.sessions])
    seated, left = set(result.seated), {one.person for one in result.left_out}
    Plan.objects.filter(pk=plan.pk).update(
        state=State.FOUND,
        people=len(problem.learners),
        late=result.late,
        days_late=result.days_late,
        least_late=result.least_late,
        least_sessions=result.least_sessions,
        is_best=result.is_best,
        with_instructors=problem.instructors is not None,
        needed={str(person): str(day) for person, day in needed.items() if day != FOREVER},
        left_out=[[one.person, one.reason] for one in result.left_out],
        can_wait=sum(learner.key not in seated | left for learner in problem.learners),
        unmet=[_unmet(one) for one in unmet(problem)],
        costs=[[wish, None, None] for wish in wishes],
        found_at=clock.now(),
    )


def _session(plan: Plan, one: Planned) -> PlanSession:
    return PlanSession(
        plan=plan,
        day=one.slot.day,
        start=time(*divmod(one.slot.start, 60)),
        room_id=one.room,
        instructor_id=one.instructor,
        language=one.language,
        people=list(one.people),
        session_id=one.open_key,
    )


def _unmet(one: Unmet) -> str:
    """What no plan can meet, and what would help."""
    people = "one person" if one.people == 1 else f"{one.people} people"
    match one.what:
        case "days":
            return f"Nothing is held on any day of this span, so {people} can’t be seated. Choose a longer one."
        case "rooms" if one.site is not None:
            site = Site.objects.filter(pk=one.site).values_list("name", flat=True).first()
            return f"No room can be had at {site} in this span, for {people}. Give a room there more hours, or let people sit elsewhere."
        case "rooms":
            return f"No room can be had in this span, for {people}. Choose other rooms, or give them more hours."
        case _:
            speaks = f" who teaches in {one.language}" if one.language else ""
            return (
                f"No instructor{speaks} may teach it on any of these days, for {people}. Say of somebody that they do."
            )


def _weigh(plan: Plan, problem: Problem, wishes: list[Wish]) -> None:
    """What there would be without each wish."""
    costs: list[list[Any]] = [[wish, None, None] for wish in wishes]
    for number, wish in enumerate(wishes):
        other = solve(without(problem, wish), seconds=SECONDS_A_WISH)
        costs[number] = [wish, other.late, len(other.new)]
        Plan.objects.filter(pk=plan.pk).update(costs=costs)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    plan = Plan.objects.select_related("module").filter(pk=said.get("key", 0)).first()
    return f"working out a plan of “{plan.module.title}”" if plan else "working out a plan that is gone by now"
