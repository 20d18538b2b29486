"""Whatever is done, in whatever order: what is stored stays what the facts come to, and every way to read it agrees."""

import random
from datetime import timedelta

import pytest

from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.checking import differences
from stepladder.assignments.models import Assignment, Waiver
from stepladder.assignments.queries import requirements
from stepladder.charts import actions as charts_actions
from stepladder.charts.models import Unit
from stepladder.core.requirements import WORST_FIRST
from stepladder.courses import actions as courses
from stepladder.courses import paths
from stepladder.courses.models import Course, Edition, Path
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Completion, Enrolment
from stepladder.people import actions as people
from stepladder.people.models import Person, Placement
from stepladder.people_import import actions as importing
from stepladder.reaches import actions as reaches_actions
from stepladder.reaches.models import Group
from stepladder.records.attending import requirement_columns
from stepladder.refusals import Refusal
from tests import factories as f

UNITS = ("Fleet", "Dunlin", "Knot", "Shore")


class Walk:
    """A seeded walk through the acts of an administrator; what an act refuses is no act."""

    def __init__(self, seed, on):
        self.rng = random.Random(seed)
        self.on = on
        self.day = f.d("2026-01-05")
        self.count = 0
        on(str(self.day))
        f.a_unit("Dunlin", "Fleet")
        f.a_unit("Knot", "Fleet")
        f.a_unit("Shore")
        for title in ("Fire", "Crowd", "Lines"):
            f.a_course(title, months=self.rng.choice([0, 2, 6]), window=10, grace=5)
        self.importer = f.an_account("administrator")
        for _ in range(3):
            self.hire()

    def near(self, back=60, ahead=60):
        return self.day + timedelta(days=self.rng.randint(-back, ahead))

    def some(self, rows):
        found = list(rows)
        return self.rng.choice(found) if found else None

    def course(self):
        return self.some(Course.objects.order_by("pk"))

    def unit(self):
        return self.some(Unit.objects.order_by("pk"))

    def person(self):
        return self.some(Person.objects.order_by("pk"))

    def wait(self):
        self.day += timedelta(days=self.rng.randint(0, 40))
        self.on(str(self.day))

    def hire(self):
        self.count += 1
        f.a_person(f"Jun Number{self.count}", unit=self.rng.choice(UNITS), hired=str(self.near()))

    def move(self):
        person = self.person()
        ending = Placement.objects.known_now().filter(person=person, to_day=None) if self.rng.random() < 0.8 else []
        position = f.a_position(self.rng.choice(["Deckhand", "Bosun"]))
        people.move(person=person, unit=self.unit(), position=position, from_day=self.near(), ending=ending, by=f.BY)

    def end_placement(self):
        placement = self.some(Placement.objects.known_now().order_by("pk"))
        people.end_placement(placement=placement, to_day=self.near(), by=f.BY)

    def leave(self):
        first = self.near()
        last = None if self.rng.random() < 0.3 else first + timedelta(days=self.rng.randint(0, 50))
        people.record_leave(person=self.person(), from_day=first, to_day=last, by=f.BY)

    def leave_organisation(self):
        people.leave_organisation(person=self.person(), left_on=self.near(), by=f.BY)

    def assign(self):
        course, kind = self.course(), self.rng.choice(["unit", "unit", "hired", "holds", "not"])
        unit = {"kind": "unit", "unit": self.unit().pk, "below": self.rng.random() < 0.7}
        parts = {
            "unit": [unit],
            "hired": [unit, {"kind": "hired within", "days": self.rng.choice([5, 60])}],
            "holds": [{"kind": "holds", "course": self.course().pk}],
            "not": [{"kind": "none", "parts": [unit]}],
        }[kind]
        rule = {"due_trigger": self.rng.choice(["opening", "hire", "placement", "quarter"]), "due_days": 20}
        f.an_assignment(
            course,
            {"in": {"kind": "all", "parts": parts}},
            start=self.near(),
            is_mandatory=self.rng.random() < 0.8,
            is_one_off=self.rng.random() < 0.3,
            taken_from=self.near() if self.rng.random() < 0.2 else None,
            **rule,
        )

    def end_assignment(self):
        if assignment := self.some(Assignment.objects.order_by("pk")):
            assigning.end_assignment(assignment=assignment, end=self.near(), by=f.BY)

    def complete(self):
        course = self.course()
        edition = course.editions.exclude(state=Edition.State.DRAFT).order_by("-number")[0]
        day = min(self.near(ahead=0), self.day)
        record_completion(person=self.person(), course=course, edition=edition, day=day, by=f.BY)

    def revoke(self):
        if completion := self.some(Completion.objects.known_now().order_by("pk")):
            revoke_completion(completion=completion, because="A slip", by=f.BY)

    def waive(self):
        first = self.near()
        assigning.grant_waiver(
            person=self.person(),
            course=self.course(),
            from_day=first,
            to_day=first + timedelta(days=self.rng.randint(0, 60)),
            reason="Ashore",
            by=f.BY,
        )

    def revoke_waiver(self):
        if waiver := self.some(Waiver.objects.known_now().order_by("pk")):
            assigning.revoke_waiver(waiver=waiver, by=f.BY)

    def terms(self):
        courses.set_terms(
            course=self.course(),
            months=self.rng.choice([0, 1, 6, 12]),
            days=0,
            is_calendar_year=False,
            window_days=self.rng.choice([0, 15]),
            grace_days=self.rng.choice([0, 10]),
            from_day=self.near(),
            by=f.BY,
        )

    def relate(self):
        course, other = self.course(), self.course()
        chosen = [other] if other != course and self.rng.random() < 0.7 else []
        courses.set_relations(course=course, prerequisites=[], satisfied_by=chosen, by=f.BY)

    def release(self):
        course = self.course()
        courses.new_edition(course=course, by=f.BY)
        retake = self.near(back=0) if self.rng.random() < 0.6 else None
        courses.release_course(course=course, size="large", retake_by=retake, by=f.BY)

    def climb(self):
        """A path over some of the courses, released anew or for the first time, and asked of a unit."""
        path = self.some(Path.objects.order_by("pk")) if self.rng.random() < 0.5 else None
        path = path or paths.create_path(title="On deck", binder=f.a_binder(), by=f.BY)
        paths.edit_path(
            path=path, revision=None, title="On deck", summary="Up.", is_in_order=self.rng.random() < 0.7, by=f.BY
        )
        keys = self.rng.sample(list(Course.objects.values_list("pk", flat=True)), self.rng.randint(1, 3))
        windows = sorted(self.rng.choice([10, 30, 90]) for _ in keys)
        stages = [paths.StagePlan("Stage", "do it", days, [key]) for key, days in zip(keys, windows, strict=True)]
        paths.change_stages(path=path, stages=stages, by=f.BY)
        paths.release_path(path=path, by=f.BY)
        reach = f.in_units(self.unit())
        rule = f.a_rule(reach, start=self.near(), due_trigger=self.rng.choice(["opening", "hire"]), due_days=60)
        assigning.assign(course=path, name="All on deck", message="", rule=rule, by=f.BY)

    def move_unit(self):
        below = self.unit() if self.rng.random() < 0.8 else None
        charts_actions.move_node(node=self.unit(), under=below, from_day=self.near(), by=f.BY)

    def add_unit(self):
        self.count += 1
        charts_actions.add_node(
            chart=f.a_chart(), under=self.unit(), name=f"Crew {self.count}", by=f.BY, from_day=self.near()
        )

    def group(self):
        """A group by a unit or by names, for the first time or meaning others now; asked of by an assignment in time."""
        condition = {"kind": "any", "parts": [{"kind": "unit", "unit": self.unit().pk, "below": True}]}
        named = [self.person().pk] if self.rng.random() < 0.5 else []
        reach = {"in": None if named else condition, "named_in": named, "named_out": []}
        group = self.some(Group.objects.order_by("pk"))
        if group is None or self.rng.random() < 0.3:
            self.count += 1
            group = reaches_actions.create_group(name=f"Group {self.count}", note="", reach=reach, by=f.BY)
            asked = {"kind": "any", "parts": [{"kind": "group", "group": group.pk}]}
            f.an_assignment(self.course(), {"in": asked}, start=self.near(), due_trigger="opening", due_days=20)
        else:
            reaches_actions.change_group(group=group, revision=None, name=group.name, note="", reach=reach, by=f.BY)

    def import_people(self):
        """A file with somebody new, somebody moved and somebody who leaves, carried out; now and then taken back whole."""
        self.count += 1
        rows = [f"I{self.count:03d},Fay,Number{self.count},{self.rng.choice(UNITS)},{self.near()},"]
        for person in {self.person(), self.person()}:
            left = self.near() if self.rng.random() < 0.3 else ""
            rows.append(f"{person.employee_number},{person.given_name},{person.family_name},{self.unit().name},,{left}")
        body = "\n".join(["Number,First name,Last name,Unit,Hire date,Left", *rows]).encode()
        job = importing.receive_import(file_name="people.csv", body=body, by=self.importer)
        columns = ["number", "given", "family", "unit", "hired", "left"]
        importing.choose_columns(job=job, columns=columns, day_first=True, by=self.importer)
        importing.look_through(job)
        job.refresh_from_db()
        importing.apply_import(job=job, by=self.importer)
        job.refresh_from_db()
        while job.state == job.State.APPLYING and importing.apply_piece(job, by=self.importer):
            job.refresh_from_db()
        if self.rng.random() < 0.4:
            importing.return_import(job=job, by=self.importer)
            job.refresh_from_db()
            while job.state == job.State.RETURNING and importing.return_piece(job, by=self.importer):
                job.refresh_from_db()

    def take_back(self):
        entry = self.some(Entry.objects.order_by("-number")[:12])
        undoing.take_back(entry, by=f.BY)

    def act(self):
        acts = [self.wait, self.hire, self.move, self.move, self.end_placement, self.leave, self.leave_organisation]
        acts += [
            self.assign,
            self.assign,
            self.end_assignment,
            self.complete,
            self.complete,
            self.complete,
            self.revoke,
        ]
        acts += [self.waive, self.revoke_waiver, self.terms, self.relate, self.release, self.climb]
        acts += [self.move_unit, self.move_unit, self.add_unit, self.group, self.import_people]
        acts += [self.take_back] * 3
        act = self.rng.choice(acts)
        try:
            act()
        except Refusal:
            return f"{act.__name__} (refused)"
        return act.__name__


def statuses(day, known_on):
    """Person and course → status, one by one and for everybody at once."""
    single = {(r.person, r.course): r.requirement.status for r in requirements(day=day, known_on=known_on)}
    columns = requirement_columns(day=day, known_on=known_on)
    rows = zip(columns.person, columns.course, columns.rank, strict=True)
    return single, {(int(p), int(c)): WORST_FIRST[int(r)] for p, c, r in rows}


@pytest.mark.timeout(600)
@pytest.mark.parametrize("seed", range(5))
def test_what_is_stored_is_always_what_the_facts_come_to(
    organisation, media, on, seed, django_capture_on_commit_callbacks
):
    walk = Walk(seed, on)
    done = []
    for _ in range(30):
        with django_capture_on_commit_callbacks(execute=True):
            done.append(walk.act())
        assert list(differences()) == [], done
    assert list(problems()) == []
    for offset in (-100, -20, 0, 45, 400):
        for known in (walk.day, walk.day - timedelta(days=30)):
            single, at_once = statuses(walk.day + timedelta(days=offset), known)
            assert single == at_once, (done, offset, known)


@pytest.mark.parametrize("seed", [11, 12])
def test_the_daily_run_finds_nothing_left_to_do_the_second_time(
    organisation, media, on, seed, django_capture_on_commit_callbacks
):
    walk = Walk(seed, on)
    for _ in range(20):
        with django_capture_on_commit_callbacks(execute=True):
            walk.act()
    assigning.keep_true()
    before = list(Enrolment.objects.order_by("pk").values_list("pk", "closed_on", "completed_at"))
    assert assigning.keep_true() == 0
    assert list(Enrolment.objects.order_by("pk").values_list("pk", "closed_on", "completed_at")) == before
    needs = {
        (row.person, row.course)
        for row in requirements(day=clock.today())
        if row.requirement.status not in (WORST_FIRST[-1], WORST_FIRST[-2]) and str(row.requirement.status) != "waived"
    }
    places = Enrolment.objects.filter(closed_on__isnull=True, completed_at__isnull=True)
    assert needs <= set(places.values_list("person_id", "course_id")) | {
        pair for pair in needs if Course.objects.get(pk=pair[1]).state != "released"
    }
