"""Marram Sound Ferries: what was assigned, and two years of people learning it."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from fractions import Fraction
from typing import Any

from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.deriving import derive_reasons
from stepladder.assignments.models import Assignment, AssignmentRule, Reason, Waiver
from stepladder.assignments.queries import requirements
from stepladder.config.demo.crew import BY, Charts, at
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, Edition, Step
from stepladder.journal.actions import Named, record
from stepladder.learning import validity
from stepladder.learning.actions import certificate_number
from stepladder.learning.models import Attempt, Completion, Enrolment, StepDone
from stepladder.people.models import Person

__all__ = ["make_assignments", "make_history", "make_present"]

ASSIGNED_AGE = 730
STEP_DAYS = 12
# The last days are played on places that were opened and told of.
PRESENT_DAYS = 11
CREWS = ["Fleet"]
NEEDS = frozenset(Status) - {Status.CURRENT, Status.WAIVED}


@dataclass(frozen=True)
class Plan:
    """An assignment of the demo, in the words of its charts."""

    course: str
    name: str
    message: str
    units: list[str] = field(default_factory=list)
    positions: list[str] = field(default_factory=list)
    after: int = 30
    trigger: str = "opening"
    mandatory: bool = True
    hired_within: int | None = None


PLANS = [
    Plan("Sea survival basics", "All crews", "Every crew holds it before the winter timetable.", CREWS, after=30),
    Plan(
        "Fire on board",
        "Fire on board for all crews",
        "Every crew does it within two weeks of coming aboard.",
        CREWS,
        after=14,
    ),
    Plan(
        "Fire on board",
        "Fire on board for terminals",
        "Whoever opens a terminal knows where the extinguishers hang.",
        ["Shore"],
        after=30,
    ),
    Plan(
        "Guiding a crowd",
        "Who meets passengers",
        "Deck, terminals and galley guide passengers together.",
        positions=[
            "Chief mate",
            "Bosun",
            "Deckhand",
            "Shift lead",
            "Quay hand",
            "Ticket clerk",
            "Galley lead",
            "Galley hand",
        ],
        after=45,
    ),
    Plan(
        "Mooring lines and snap-back",
        "Who handles lines",
        "Before the first mooring on one’s own.",
        positions=["Bosun", "Deckhand", "Deck trainee", "Quay hand"],
        after=21,
        trigger="placement",
    ),
    Plan(
        "Entering closed spaces",
        "Engine rooms and yard",
        "No permit without it.",
        positions=["Chief engineer", "Second engineer", "Motorman", "Fitter", "Diver", "Electrician"],
        after=30,
    ),
    Plan(
        "Loading the vehicle deck",
        "Who loads",
        "One plan, one set of hand signals.",
        positions=["Quay hand", "Bosun", "Chief mate"],
        after=60,
    ),
    Plan("Galley hygiene", "Galley", "Whoever touches food.", ["Catering"], after=14),
    Plan(
        "Handling ticket data",
        "Who sees passenger lists",
        "Once every calendar year.",
        positions=["Ticket clerk", "Office clerk", "Office manager", "Terminal manager"],
        after=40,
    ),
    Plan(
        "Yard induction",
        "Yard gate",
        "Nobody passes the gate without it.",
        ["Partners", "Workshop"],
        after=0,
        trigger="hire",
    ),
    Plan(
        "Muster warden",
        "Muster teams",
        "The teams of the emergency plan.",
        ["Marram island", "Osier island", "Holm island"],
        after=60,
    ),
    Plan(
        "Radio words",
        "New on deck",
        "Worth an hour in the first year.",
        positions=["Deckhand", "Deck trainee"],
        trigger="",
        mandatory=False,
        hired_within=365,
    ),
]


def make_assignments(charts: Charts, today: date) -> None:
    """The standing assignments, recorded two years ago, and this season's one-off. Reasons follow from the facts."""
    start = today - timedelta(days=ASSIGNED_AGE)
    with clock.pinned(at(start, 11)):
        for plan in PLANS:
            _assignment(plan.name, plan.course, plan.message, _rule(plan, charts, start))
    april = date(today.year + (1 if today >= date(today.year, 3, 1) else 0), 4, 1)
    begin = today - timedelta(days=20)
    reach = {"in": {"kind": "any", "parts": [_unit(charts, name) for name in ("Fleet", "Shore")]}}
    with clock.pinned(at(begin, 11)):
        rule = AssignmentRule(reach=reach, start=begin, is_one_off=True, due_day=april)
        _assignment("Before the season", "New season briefing", "Four pages, before the first spring sailing.", rule)
    Reason.objects.bulk_create((row for row in derive_reasons() if isinstance(row, Reason)), batch_size=500)


def _unit(charts: Charts, name: str) -> dict[str, Any]:
    return {"kind": "unit", "unit": charts.units[name].pk, "below": True}


def _rule(plan: Plan, charts: Charts, start: date) -> AssignmentRule:
    parts: list[dict[str, Any]] = []
    if plan.units:
        parts.append({"kind": "any", "parts": [_unit(charts, name) for name in plan.units]})
    if plan.positions:
        positions = [{"kind": "position", "position": charts.positions[name].pk} for name in plan.positions]
        parts.append({"kind": "any", "parts": positions})
    if plan.hired_within:
        parts.append({"kind": "any", "parts": [{"kind": "hired within", "days": plan.hired_within}]})
    return AssignmentRule(
        reach={"in": {"kind": "all", "parts": parts}},
        start=start,
        is_mandatory=plan.mandatory,
        due_trigger=plan.trigger,
        due_days=plan.after if plan.trigger else 0,
        notice_days=14 if plan.after >= 14 else plan.after,
    )


def _assignment(name: str, course: str, message: str, rule: AssignmentRule) -> None:
    about = Course.objects.get(title=course)
    assignment = Assignment.objects.create(
        course=about, name=name, message=message, made_by=BY.name, made_at=clock.now()
    )
    rule.assignment = assignment
    rule.save()
    data = {"course": about.title}
    record("assign", by=BY, about=Named("assignment", assignment.public_id, name), data=data, rows=[rule])


def make_history(today: date, rng: random.Random) -> Callable[[date], None]:
    """How people learn, up to a few days ago; what is returned lets them go on. People take what is asked of them, most in time, some late, a few not at all."""
    editions = {e.course_id: e for e in Edition.objects.filter(state=Edition.State.RELEASED)}
    steps: dict[int, list[Step]] = {}
    for step in Step.objects.filter(edition__in=editions.values(), is_obligatory=True).select_related("edition"):
        steps.setdefault(step.edition.course_id, []).append(step)
    people = list(Person.objects.order_by("pk"))
    diligence = {p.pk: rng.choice([0.6, 0.72, 0.84, 0.9, 0.96]) for p in people}
    for slow in rng.sample(people, 26):
        diligence[slow.pk] = 0.07
    skipped = {p.pk for p in people if p.given_name == "Jun" and p.family_name == "Pellam"}
    day = today - timedelta(days=ASSIGNED_AGE - 6)
    while day < today - timedelta(days=PRESENT_DAYS):
        with clock.pinned(at(day, 17)):
            _learn(day, editions, steps, diligence, skipped, rng)
        day += timedelta(days=STEP_DAYS)
    return lambda day: _learn(day, editions, steps, diligence, skipped, rng)


def _learn(
    day: date,
    editions: dict[int, Edition],
    steps: dict[int, list[Step]],
    diligence: dict[int, float],
    skipped: set[int],
    rng: random.Random,
) -> None:
    """Who completes something in the days up to *day*."""
    chosen: list[tuple[int, int, date]] = []
    # A course that has a newer edition by now is learned in it, which is not for here: its sessions are signed off.
    offered = {c for c, e in editions.items() if Edition.objects.filter(pk=e.pk, state=Edition.State.RELEASED).exists()}
    for row in requirements(day=day, known_on=day):
        requirement = row.requirement
        if requirement.status not in NEEDS or row.person in skipped or row.course not in offered:
            continue
        pressing = requirement.status is not Status.TO_DO
        chance = diligence[row.person] * (0.75 if pressing else 0.12)
        if requirement.status is Status.RENEW and requirement.valid_until:
            chance = diligence[row.person] * (0.75 if (requirement.valid_until - day).days < 3 * STEP_DAYS else 0.15)
        if rng.random() < chance:
            earliest = max(requirement.opened, day - timedelta(days=PRESENT_DAYS - 2))
            done_on = earliest + timedelta(days=rng.randint(0, (day - earliest).days))
            chosen.append((row.person, row.course, done_on))
    if not chosen:
        return
    places = {
        (e.person_id, e.course_id): e
        for e in Enrolment.objects.filter(completed_at__isnull=True, closed_on__isnull=True)
    }
    enrolments = []
    for person, course, done_on in chosen:
        place = places.get((person, course)) or Enrolment(
            person_id=person,
            course_id=course,
            edition=editions[course],
            opened_on=done_on - timedelta(days=rng.randint(0, 5)),
        )
        place.begun_at = at(done_on, 9, rng.randint(0, 59))
        place.completed_at = at(done_on, 10 + rng.randint(0, 6), rng.randint(0, 59))
        place.save()
        enrolments.append(place)
    StepDone.objects.bulk_create(
        StepDone(
            enrolment=e, module_id=s.module_id, version_id=s.version_id, at=at_of(e), day=done_on, score=_score(rng)
        )
        for e, (_, course, done_on) in zip(enrolments, chosen, strict=True)
        for s in steps[course]
    )
    Completion.objects.bulk_create(
        Completion(
            person_id=person,
            course_id=course,
            edition=editions[course],
            enrolment=e,
            day=done_on,
            at=at_of(e),
            score=_score(rng),
            recorded_on=done_on,
            number=certificate_number(),
        )
        for e, (person, course, done_on) in zip(enrolments, chosen, strict=True)
    )
    rows = list(Completion.objects.filter(enrolment__in=enrolments).order_by("pk"))
    about = Named("organisation", "", "Marram Sound Ferries")
    record("load_completions", by=BY, about=about, data={"count": len(rows)}, rows=rows)
    validity.refresh(people={person for person, _, _ in chosen})


def at_of(enrolment: Enrolment) -> datetime:
    """When a completed enrolment was completed."""
    assert enrolment.completed_at is not None
    return enrolment.completed_at


def _score(rng: random.Random) -> Fraction:
    return Fraction(rng.choice([80, 80, 85, 90, 90, 95, 100]), 100)


def make_present(today: date, rng: random.Random, learn: Callable[[date], None]) -> None:
    """Today: a waiver, places for whoever needs one, and people half-way."""
    person = Person.objects.filter(leaves__to_day__isnull=True, leaves__isnull=False).first()
    if person:
        with clock.pinned(at(today - timedelta(days=30), 10)):
            course = Course.objects.get(title="Entering closed spaces")
            waiver = Waiver.objects.create(
                person=person,
                course=course,
                from_day=today - timedelta(days=30),
                to_day=today + timedelta(days=42),
                reason="Away until the new year; does it on coming back",
                granted_by="Ines Okoro",
            )
            data = {
                "course": course.title,
                "day": str(waiver.from_day),
                "until": str(waiver.to_day),
                "reason": waiver.reason,
            }
            record(
                "grant_waiver", by=BY, about=Named("person", person.public_id, person.name), data=data, rows=[waiver]
            )
    with clock.pinned(at(today - timedelta(days=PRESENT_DAYS), 8)):
        assigning.keep_true()
    with clock.pinned(at(today - timedelta(days=1), 17)):
        learn(today - timedelta(days=1))
    with clock.pinned(at(today, 0)):
        assigning.keep_true()
    _half_way(today, rng)


def _half_way(today: date, rng: random.Random) -> None:
    """Some have begun: Jun has two of three steps of Fire on board, others are in the middle of the older version."""
    course = Course.objects.get(title="Fire on board")
    places = list(
        Enrolment.objects.filter(course=course, completed_at__isnull=True, closed_on__isnull=True)
        .select_related("person", "edition")
        .order_by("pk")
    )
    steps = list(
        Step.objects.filter(edition__course=course, edition__state="released", is_obligatory=True).select_related(
            "version", "module"
        )
    )
    for place in places:
        is_jun = place.person.family_name == "Pellam" and place.person.given_name == "Jun"
        count = 2 if is_jun else rng.choice([0, 0, 1, 1, 2])
        if not count:
            continue
        begun = at(max(place.opened_on, today - timedelta(days=10)), 13)
        place.begun_at = begun
        place.save(update_fields=["begun_at"])
        for n, step in enumerate(steps[:count]):
            done_at = begun + timedelta(hours=3 * n + 1)
            data = (
                {"pages": list(range(1, 9)), "at": 8}
                if step.module.kind == "document"
                else {"played": [[0, 48]], "at": 48}
            )
            Attempt.objects.create(
                enrolment=place,
                module=step.module,
                version=step.version,
                begun_at=done_at,
                last_at=done_at,
                seconds=240,
                status="completed",
                data=data,
            )
            StepDone.objects.create(
                enrolment=place, module=step.module, version=step.version, at=done_at, day=done_at.date()
            )
    for place in places[-6:]:
        step = steps[0]
        if not place.attempts.exists():
            place.begun_at = at(today - timedelta(days=10), 14)
            place.save(update_fields=["begun_at"])
            Attempt.objects.create(
                enrolment=place,
                module=step.module,
                version=step.version,
                begun_at=place.begun_at,
                last_at=place.begun_at,
                seconds=90,
                status="incomplete",
                data={"pages": [1, 2, 3], "at": 3},
            )
