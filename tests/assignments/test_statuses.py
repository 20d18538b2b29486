"""Row by row, in NumPy and in SQL: the same status."""

import random
from collections import Counter
from datetime import timedelta

import pytest

from stepladder import clock
from stepladder.assignments import actions
from stepladder.assignments.models import Waiver
from stepladder.assignments.queries import requirements
from stepladder.assignments.statuses import count_by_assignment, open_reasons, with_rank
from stepladder.core.requirements import WORST_FIRST
from stepladder.learning.actions import record_completion
from stepladder.records.columns import requirement_columns
from tests import factories as f


@pytest.fixture
def world(organisation, on):
    """Forty people, two courses, three assignments, and two years of completions and waivers, by a fixed seed."""
    rng = random.Random(7)
    on("2025-01-01")
    fire, crowd = f.a_course("Fire", months=12, window=60, grace=20), f.a_course("Crowd", months=6, window=30, grace=0)
    people = [f.a_person(f"Jun Number{n}", unit=rng.choice(["Dunlin", "Knot"]), hired="2025-01-01") for n in range(40)]
    f.an_assignment(fire, f.in_units(f.a_unit("Dunlin"), f.a_unit("Knot")), start=f.d("2025-01-01"))
    f.an_assignment(crowd, f.in_units(f.a_unit("Dunlin")), start=f.d("2025-02-01"), due_days=60)
    f.an_assignment(
        fire, f.in_units(f.a_unit("Knot")), start=f.d("2025-03-01"), is_mandatory=False, taken_from=f.d("2025-06-01")
    )
    on("2026-12-31")
    for person in people:
        for course in (fire, crowd):
            for _ in range(rng.randint(0, 2)):
                day = f.d("2025-01-10") + timedelta(days=rng.randint(0, 600))
                record_completion(person=person, course=course, edition=course.editions.get(), day=day, by=f.BY)
    for person in rng.sample(people, 6):
        first = f.d("2025-01-10") + timedelta(days=rng.randint(0, 500))
        actions.grant_waiver(
            person=person, course=fire, from_day=first, to_day=first + timedelta(days=60), reason="At sea", by=f.BY
        )


DAYS = ["2025-01-20", "2025-03-01", "2025-07-15", "2026-01-31", "2026-05-14", "2026-12-31", "2027-06-30"]


@pytest.mark.usefixtures("world")
def test_sql_numpy_and_the_core_agree():
    seen = Counter()
    for day in map(f.d, DAYS):
        known = clock.today()
        single = requirements(day=day)
        reason_statuses = {
            r.pk: s.status for row in single for r, s in zip(row.reasons, row.reason_statuses, strict=True)
        }
        pairs = set(Waiver.objects.values_list("person_id", "course_id"))
        waived = {r.pk for row in single for r in row.reasons if (r.person_id, r.course_id) in pairs}
        plain = open_reasons(day, known).exclude(pk__in=waived)
        in_sql = {r.pk: WORST_FIRST[r.rank] for r in with_rank(plain, day=day, known_on=known, soon_days=14)}
        assert in_sql == {pk: status for pk, status in reason_statuses.items() if pk not in waived}
        columns = requirement_columns(day=day, known_on=known)
        at_once = {
            (int(p), int(c)): WORST_FIRST[int(r)]
            for p, c, r in zip(columns.person, columns.course, columns.rank, strict=True)
        }
        assert at_once == {(row.person, row.course): row.requirement.status for row in single}
        expected = {}
        for row in single:
            for reason, standing in zip(row.reasons, row.reason_statuses, strict=True):
                expected.setdefault(reason.assignment_id, Counter())[standing.status] += 1
        assert count_by_assignment(day, known) == expected
        seen += Counter(reason_statuses.values())
    assert len(seen) == len(WORST_FIRST), "every status must have come up"
