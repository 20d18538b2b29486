"""Row by row, in columns and one by one: the same status."""

import random
from collections import Counter
from datetime import timedelta

import pytest

from stepladder import clock
from stepladder.assignments import actions
from stepladder.assignments.columns import asked_by, assignment_counts, requirement_columns
from stepladder.assignments.models import Assignment
from stepladder.assignments.paths import climbs
from stepladder.assignments.queries import requirements
from stepladder.core.requirements import WORST_FIRST
from stepladder.learning.actions import record_completion
from tests import factories as f
from tests.assignments.test_paths import a_path


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
    both = a_path("All of it", ("First", 30, [fire]), ("Then", None, [crowd]))
    f.an_assignment(both, f.in_units(f.a_unit("Dunlin")), start=f.d("2025-01-05"), due_days=45)
    on("2026-12-31")
    for person in people:
        for course in (fire, crowd):
            for _ in range(rng.randint(0, 2)):
                day = f.d("2025-01-10") + timedelta(days=rng.randint(0, 600))
                record_completion(person=person, course=course, edition=course.editions.get(), day=day, by=f.BY)
    # What chance does not bring about with a path: all of it waived, and its first part in grace.
    waived, in_grace = (
        f.a_person("Ada Waived", unit="Dunlin"),
        f.a_person("Ove Grace", unit="Dunlin", hired="2025-01-01"),
    )
    for course, day in ((fire, "2025-05-10"), (crowd, "2026-01-01")):
        actions.grant_waiver(
            person=waived, course=course, from_day=f.d("2026-05-01"), to_day=None, reason="At sea", by=f.BY
        )
        record_completion(person=in_grace, course=course, edition=course.editions.get(), day=f.d(day), by=f.BY)
    for person in rng.sample(people, 12):
        first = f.d("2025-01-10") + timedelta(days=rng.randint(0, 500))
        for course in (fire, crowd)[: rng.randint(1, 2)]:
            actions.grant_waiver(
                person=person,
                course=course,
                from_day=first,
                to_day=first + timedelta(days=60),
                reason="At sea",
                by=f.BY,
            )


DAYS = ["2025-01-20", "2025-02-12", "2025-03-01", "2025-07-15", "2026-01-31", "2026-05-14", "2026-12-31", "2027-06-30"]


@pytest.mark.usefixtures("world")
def test_columns_and_the_core_agree():
    seen, climbed = Counter(), Counter()
    for day in map(f.d, DAYS):
        known = clock.today()
        single = requirements(day=day)
        columns = requirement_columns(day=day, known_on=known)
        assert statuses_of(columns) == {(row.person, row.course): row.requirement.status for row in single}
        expected = {}
        for row in single:
            for reason, status in zip(row.reasons, row.reason_statuses, strict=True):
                expected.setdefault(reason.assignment_id, Counter())[status.status] += 1
                seen[status.status] += 1
        for assignment in Assignment.objects.filter(path=None):
            assert counted(assignment, day) == expected.get(assignment.pk, Counter())
            people = {row.person for row in single if assignment.pk in {r.assignment_id for r in row.reasons}}
            assert set(asked_by(assignment, day=day, known_on=known).person.tolist()) == people
        for assignment in Assignment.objects.exclude(path=None):
            one_by_one = {
                (row.person, row.edition.path_id): row.requirement.status
                for row in climbs(day=day, known_on=known, assignments=[assignment.pk])
            }
            assert statuses_of(asked_by(assignment, day=day, known_on=known)) == one_by_one
            assert counted(assignment, day) == Counter(one_by_one.values())
            climbed += Counter(one_by_one.values())
    assert len(seen) == len(climbed) == len(WORST_FIRST), "every status must have come up"


def statuses_of(columns):
    rows = zip(columns.person.tolist(), columns.course.tolist(), columns.rank.tolist(), strict=True)
    return {(person, course): WORST_FIRST[rank] for person, course, rank in rows}


def counted(assignment, day):
    counts = assignment_counts(assignment, day=day, known_on=clock.today()).tolist()
    return Counter({status: n for status, n in zip(WORST_FIRST, counts, strict=True) if n})
