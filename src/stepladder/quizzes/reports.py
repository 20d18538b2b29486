"""What reports tell of quizzes: who was allowed more time or attempts than all are."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from datetime import date, datetime, time, timedelta

from django.db.models import Q

from stepladder import clock
from stepladder.courses.models import Step
from stepladder.quizzes.models import Allowed

__all__ = ["allowed_in_courses"]


def allowed_in_courses(pairs: Sequence[tuple[int, int]], day: date) -> list[str]:
    """For each (person, course) what that person was allowed in the course's quizzes on a day, in words; "" for most.

    Three queries at most, however many pairs.
    """
    people = {person for person, _ in pairs}
    after = datetime.combine(day + timedelta(days=1), time(), clock.zone())
    rows = Allowed.objects.filter(person__in=people, at__lt=after).filter(Q(ended_at=None) | Q(ended_at__gte=after))
    everywhere: dict[int, list[Allowed]] = defaultdict(list)
    somewhere: dict[tuple[int, int], list[Allowed]] = defaultdict(list)
    for row in rows.order_by("pk"):
        if row.module_id is None:
            everywhere[row.person_id].append(row)
        else:
            somewhere[row.person_id, row.module_id].append(row)
    if not everywhere and not somewhere:
        return [""] * len(pairs)
    quizzes = _quizzes_of({course for _, course in pairs})
    found = []
    for person, course in pairs:
        mine = [row for module in quizzes[course] for row in somewhere[person, module]]
        # Of several the most, as papers have it.
        mine += everywhere[person] if quizzes[course] else []
        found.append(
            _words(max((r.extra_time for r in mine), default=0), max((r.extra_attempts for r in mine), default=0))
        )
    return found


def _quizzes_of(courses: Collection[int]) -> dict[int, list[int]]:
    steps = Step.objects.filter(edition__course__in=courses, module__kind="quiz")
    found: dict[int, list[int]] = defaultdict(list)
    for course, module in steps.order_by().values_list("edition__course", "module").distinct():
        found[course].append(module)
    return found


def _words(percent: int, attempts: int) -> str:
    said = [f"{percent} % more time"] if percent else []
    if attempts:
        said.append(f"{attempts} more attempt{'s' if attempts != 1 else ''}")
    return ", ".join(said)
