"""Everything that writes what people learn."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date, datetime
from fractions import Fraction
from typing import Any

from django.db import transaction
from django.db.models import Exists, OuterRef, Q, QuerySet

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.core.sequence import Done, Outline, completed, open_steps, progress
from stepladder.courses.models import Course, CourseState, Edition, Offer, Step
from stepladder.courses.outline import outline_of
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, Machine, Named, record
from stepladder.learning.errors import (
    AttemptEnded,
    CountedSince,
    NotBegunYet,
    NotEnded,
    NotHereYet,
    NotOffered,
    NotThatDay,
    PlaceClosed,
    StepClosed,
)
from stepladder.learning.gates import waiting_for
from stepladder.learning.models import Attempt, Completion, Enrolment, StepDone, ValiditySpan
from stepladder.learning.steps import about, do_step, percent, undo_step
from stepladder.learning.validity import refresh
from stepladder.library.models import ModuleVersion
from stepladder.people.models import Person
from stepladder.people.queries import first_days

__all__ = [
    "begin_again",
    "begin_step",
    "check_open",
    "check_place",
    "close_enrolments",
    "complete_by_attendance",
    "complete_if_done",
    "correct_completion",
    "done_of",
    "end_attempt",
    "enrol",
    "finish_step",
    "keep_attempt",
    "missing_prerequisites",
    "move_places",
    "move_to_edition",
    "opening_later",
    "opens_later",
    "record_completion",
    "reopen",
    "resting_on",
    "revoke_attendance",
    "revoke_completion",
    "revoke_confirmed",
]

RELEASE = Machine("Release of a course")


@transaction.atomic
def enrol(*, people: Sequence[Person], course: Course, origin: str, by: Actor) -> list[Enrolment]:
    """Open an enrolment in the released edition for everybody who has none open; those that were opened."""
    for person in people:
        policy.require(by, "assign", person)
    edition = Edition.objects.filter(course=course, state=Edition.State.RELEASED).first()
    if edition is None:
        raise NotOffered
    enrolled = set(
        Enrolment.objects.filter(
            course=course, person__in=people, completed_at__isnull=True, closed_on__isnull=True
        ).values_list("person_id", flat=True)
    )
    opened = [
        Enrolment(person=p, course=course, edition=edition, origin=origin, opened_on=clock.today())
        for p in people
        if p.pk not in enrolled
    ]
    Enrolment.objects.bulk_create(opened, batch_size=500)
    if opened:
        data = {"count": len(opened), "course": course.title, "people": [e.person.public_id for e in opened]}
        if len(opened) == 1:
            record("enrol", by=by, about=about(opened[0].person), data=data)
        else:
            record("enrol_many", by=by, about=Named("course", course.public_id, course.title), data=data)
    return opened


@transaction.atomic
def close_enrolments(*, enrolments: Sequence[Enrolment], because: str, by: Actor) -> None:
    """Close places that nobody needs any more. What was done in them stays."""
    for enrolment in enrolments:
        policy.require(by, "assign", enrolment.person)
    for enrolment in enrolments:
        enrolment.closed_on, enrolment.closed_because = clock.today(), because
        enrolment.save(update_fields=["closed_on", "closed_because"])
        data = {"course": enrolment.course.title, "because": because}
        record("close_enrolment", by=by, about=about(enrolment.person), data=data)


@transaction.atomic
def reopen(*, enrolment: Enrolment, by: Actor) -> None:
    """Open a place again that was closed before it was completed: what was done in it counts on. Raises NotOffered."""
    policy.require(by, "assign", enrolment.person)
    course = enrolment.course
    if course.state != CourseState.RELEASED:
        raise NotOffered
    enrolment.closed_on, enrolment.closed_because = None, ""
    enrolment.save(update_fields=["closed_on", "closed_because"])
    record("reopen_enrolment", by=by, about=about(enrolment.person), data={"course": course.title})
    if enrolment.begun_at is None:
        # Nobody began it on the old edition: it is the newest that they get, as whoever comes in now.
        move_to_edition([enrolment.pk], events.Act(clock.today(), by), edition=_released(course).pk, size="large")


def _released(course: Course) -> Edition:
    return Edition.objects.get(course=course, state=Edition.State.RELEASED)


@transaction.atomic
def begin_step(*, enrolment: Enrolment, step: Step, by: Any) -> Attempt:
    """The newest attempt at a step, which may have ended; the first one, on the edition's version, where there is none.

    Raises PlaceClosed, StepClosed, NotBegunYet.
    """
    policy.require(by, "learn", enrolment)
    check_place(enrolment)
    attempts = Attempt.objects.filter(enrolment=enrolment, module=step.module).select_related("version", "module")
    attempt = attempts.order_by("-number").first()
    if attempt:
        return attempt
    check_open(enrolment, step)
    now = clock.now()
    if enrolment.begun_at is None:
        enrolment.begun_at = now
        enrolment.save(update_fields=["begun_at"])
    attempt = Attempt.objects.create(
        enrolment=enrolment, module=step.module, version=step.version, begun_at=now, last_at=now
    )
    data = {"module": step.title, "course": enrolment.course.title}
    record("begin_step", by=by, about=about(enrolment.person), data=data)
    return attempt


@transaction.atomic
def begin_again(*, attempt: Attempt, by: Actor) -> Attempt:
    """One more go at a step, on the version that its edition has now. Raises PlaceClosed, NotEnded."""
    enrolment = attempt.enrolment
    policy.require(by, "learn", enrolment)
    check_place(enrolment)
    if attempt.ended_at is None:
        raise NotEnded(attempt.module.title)
    step = enrolment.edition.steps.select_related("version").get(module=attempt.module_id)
    now, number = clock.now(), attempt.number + 1
    again = Attempt.objects.create(
        enrolment=enrolment, module=attempt.module, version=step.version, number=number, begun_at=now, last_at=now
    )
    data = {"module": attempt.module.title, "course": enrolment.course.title, "number": number}
    record("begin_again", by=by, about=about(enrolment.person), data=data)
    return again


@transaction.atomic
def end_attempt(*, attempt: Attempt, by: Actor) -> None:
    """An attempt is over: nothing more is kept of it. Twice is as once."""
    policy.require(by, "learn", attempt)
    if attempt.ended_at is not None:
        return
    attempt.ended_at = clock.now()
    attempt.save(update_fields=["ended_at"])
    data = {"module": attempt.module.title, "course": attempt.enrolment.course.title, "number": attempt.number}
    record("end_attempt", by=by, about=about(attempt.enrolment.person), data=data)


def check_place(enrolment: Enrolment) -> None:
    """Raises PlaceClosed where nothing is done in a place any more."""
    if enrolment.closed_on is not None:
        raise PlaceClosed(enrolment.edition.title, enrolment.closed_on, enrolment.closed_because)


def check_open(enrolment: Enrolment, step: Step) -> None:
    """Raises StepClosed, NotBegunYet, NotHereYet where a step cannot be begun yet."""
    if enrolment.begun_at is None:
        opens_on = opens_later(enrolment.person, enrolment.course)
        if opens_on is not None:
            raise NotHereYet(enrolment.edition.title, opens_on)
        # Asked when the course is begun, and never again: who is in it is not put out of it.
        missing = missing_prerequisites(enrolment.person, enrolment.course)
        if missing:
            raise NotBegunYet(enrolment.edition.title, missing)
    steps = list(enrolment.edition.steps.select_related("module"))
    done = done_of(enrolment)
    is_open = open_steps(outline_of(enrolment.edition, steps), done)
    if step.module_id not in is_open:
        # What has to be done first is told; in an order there is always one.
        first = next(s for s in steps if s.is_obligatory and s.module_id not in done)
        raise StepClosed(step.title, first.title)


def opens_later(person: Person, course: Course) -> date | None:
    """The first day of somebody to come, where they may not begin a course before it; else None."""
    return first_days([person.pk], clock.today()).get(person.pk) if opening_later([course.pk]) else None


def opening_later(courses: Collection[int]) -> frozenset[int]:
    """Of courses: those that nobody begins before their first day, as each says, or else the organisation."""
    said = dict(Offer.objects.filter(course__in=courses).exclude(begins_early="").values_list("course", "begins_early"))
    all_of_them = Offer.Early.YES if organisation().begins_early else Offer.Early.NO
    return frozenset(course for course in courses if said.get(course, all_of_them) == Offer.Early.NO)


def missing_prerequisites(person: Person, course: Course) -> list[str]:
    """The titles of courses that must be validly completed first and are not, and of what a path puts before it."""
    today = clock.today()
    needed = dict(course.prerequisites.values_list("pk", "title"))
    held = ValiditySpan.objects.filter(
        person=person,
        course__in=needed,
        first__lte=today,
        valid_until__gte=today,
        known_from__lte=today,
        known_to__gt=today,
    ).values_list("course_id", flat=True)
    missing = [title for pk, title in needed.items() if pk not in set(held)]
    return missing + [title for title in waiting_for(person, course) if title not in missing]


def done_of(enrolment: Enrolment) -> dict[int, Done]:
    """The steps done in an enrolment, as the core knows them; keys are modules."""
    return {d.module_id: Done(d.day, d.at, d.score) for d in enrolment.steps_done.all() if not d.is_revoked}


@transaction.atomic
def keep_attempt(*, attempt: Attempt, data: dict[str, Any], seconds: int, status: str, score: Fraction | None) -> None:
    """Keep what the player reported. Not journaled: these are reports, not outcomes. Raises AttemptEnded."""
    if attempt.ended_at is not None:
        raise AttemptEnded(attempt.module.title)
    attempt.data, attempt.seconds, attempt.status, attempt.score = data, max(seconds, attempt.seconds), status, score
    attempt.last_at = clock.now()
    attempt.save(update_fields=["data", "seconds", "status", "score", "last_at"])


@transaction.atomic
def finish_step(*, attempt: Attempt, score: Fraction | None, by: Any) -> Completion | None:
    """The step is done; the course's completion if this was the last that was owed. Twice is as once."""
    enrolment = attempt.enrolment
    policy.require(by, "learn", enrolment)
    before = StepDone.objects.known_now().filter(enrolment=enrolment, module=attempt.module).first()
    if before is None:
        do_step(enrolment=enrolment, version=attempt.version, at=clock.now(), score=score, by=by)
    # Passed stays passed; a better score of the same attempt still counts while the course is open.
    # Once the course is complete its score is that of the day: it stands on the certificate.
    elif enrolment.is_open and score is not None and (before.score is None or score > before.score):
        before.succeeded_by(score=score)
    else:
        return None
    return complete_if_done(enrolment, by)


@transaction.atomic
def complete_by_attendance(*, person: Person, version: ModuleVersion, at: datetime, by: Actor) -> list[Completion]:
    """Somebody attended a session of this module: the step is done, as of *at*, in every open enrolment that has it. Rule: 6.

    The completions that follow. Twice is as once. Whoever signs off answers for it; nobody attends for oneself.
    """
    policy.require(by, "take attendance")
    completions = []
    places = Enrolment.objects.filter(
        person=person,
        completed_at__isnull=True,
        closed_on__isnull=True,
        edition__in=Step.objects.filter(module=version.module_id).values("edition"),
    ).exclude(pk__in=StepDone.objects.known_now().filter(module=version.module_id).values("enrolment"))
    for enrolment in places.select_related("person", "course", "edition"):
        if enrolment.begun_at is None:
            enrolment.begun_at = at
            enrolment.save(update_fields=["begun_at"])
        do_step(enrolment=enrolment, version=version, at=at, score=None, by=by)
        completion = complete_if_done(enrolment, by)
        completions += [completion] if completion else []
    return completions


@transaction.atomic
def revoke_attendance(
    *, person: Person, version: ModuleVersion, at: datetime, by: Actor, given: Collection[str] = ()
) -> None:
    """The step that was done by attending at that instant is not done, and the place in the course is open again.

    Completions that were *given* for it (public ids) are revoked with it. Raises CountedSince where another rests on it.
    """
    policy.require(by, "take attendance")
    for name, course in resting_on(people=[person.pk], module=version.module_id, at=at, given=given):
        raise CountedSince(name, course)
    done = StepDone.objects.known_now().filter(enrolment__person=person, module=version.module_id, at=at)
    _undo_steps(done, given=given, because="the sign-off by which it was given is taken back", by=by)


def revoke_confirmed(*, attempt: Attempt, at: datetime, by: Actor, given: Collection[str] = ()) -> None:
    """The step that somebody's word confirmed, as of that instant, is not done, and the place in the course is open again.

    Completions that were *given* for it (public ids) are revoked with it. Raises CountedSince where another rests on it.
    """
    person = attempt.enrolment.person
    policy.require(by, "confirm", person)
    for name, course in resting_on(people=[person.pk], module=attempt.module_id, at=at, given=given):
        raise CountedSince(name, course)
    done = StepDone.objects.known_now().filter(enrolment=attempt.enrolment_id, module=attempt.module_id, at=at)
    _undo_steps(done, given=given, because="the word by which it was given is taken back", by=by)


def _undo_steps(done: QuerySet[StepDone], *, given: Collection[str], because: str, by: Actor) -> None:
    for step in done.select_related("enrolment__course", "enrolment__person", "module"):
        enrolment = step.enrolment
        # It was begun by that step: without it, it was not begun.
        if enrolment.begun_at == step.at:
            enrolment.begun_at = None
        completion = Completion.objects.known_now().filter(enrolment=enrolment, public_id__in=given).first()
        if completion is not None:
            enrolment.completed_at = None
        enrolment.save(update_fields=["begun_at", "completed_at"])
        undo_step(step, by=by)
        if completion is not None:
            _revoke(completion, because=because, by=by)


def resting_on(
    *, people: Sequence[int], module: int, at: datetime, given: Collection[str] = ()
) -> list[tuple[str, str]]:
    """The completions that hold by a step done at that instant, as (name, course).

    Those that were *given* for it (public ids) are left out, unless the person has another place in the course by now.
    """
    done = StepDone.objects.known_now().filter(enrolment__person__in=people, module=module, at=at)
    rows = Completion.objects.known_now().filter(enrolment__in=done.values("enrolment"))
    again = Enrolment.objects.filter(
        person=OuterRef("person"), course=OuterRef("course"), completed_at__isnull=True, closed_on__isnull=True
    )
    # Taken back with what it was given for, it leaves the place open; beside another one there would be two.
    rows = rows.filter(~Q(public_id__in=given) | Exists(again))
    return [(row.person.name, row.course.title) for row in rows.select_related("person", "course").order_by("pk")]


def complete_if_done(enrolment: Enrolment, by: Actor) -> Completion | None:
    """The completion of a course of which all that is owed is done now; None where something is still owed."""
    if not enrolment.is_open:
        return None
    outline = outline_of(enrolment.edition, enrolment.edition.steps.select_related("module"))
    _exempt(enrolment, outline, by)
    found = completed(outline, done_of(enrolment))
    if found is None:
        return None
    enrolment.completed_at = found.at
    enrolment.save(update_fields=["completed_at"])
    return record_completion(
        person=enrolment.person,
        course=enrolment.course,
        edition=enrolment.edition,
        enrolment=enrolment,
        day=found.day,
        score=found.score,
        # It follows from a step that was allowed to be done: whoever did it need not keep the records.
        by=events.Doer(by.public_id, by.name),
    )


def _exempt(enrolment: Enrolment, outline: Outline, by: Actor) -> None:
    """Passed, the entry test does the steps that it spares, as of then and with its score. Rule: 6."""
    done = done_of(enrolment)
    test = outline.entry_test
    if test is None or test.key not in done:
        return
    passed = done[test.key]
    for step in enrolment.edition.steps.filter(module__in=outline.spared).select_related("version__module"):
        if step.module_id not in done:
            do_step(
                enrolment=enrolment, version=step.version, at=passed.at, score=passed.score, by=by, is_exempted=True
            )


@transaction.atomic
def record_completion(
    *,
    person: Person,
    course: Course,
    edition: Edition,
    day: date,
    by: Actor,
    enrolment: Enrolment | None = None,
    score: Fraction | None = None,
    own_expiry: date | None = None,
) -> Completion:
    """That somebody completed a course, as a fact that whoever keeps records knows of. Its spans and reasons follow."""
    policy.require(by, "change records", person)
    at = enrolment.completed_at if enrolment and enrolment.completed_at else clock.now()
    completion = Completion.objects.create(
        person=person,
        course=course,
        edition=edition,
        enrolment=enrolment,
        day=day,
        at=at,
        score=score,
        own_expiry=own_expiry,
        number=certificate_number(),
    )
    data = {"course": course.title, "score": percent(score), "number": completion.number}
    entry = record("complete_course", by=by, about=about(person), data=data, rows=[completion])
    refresh(people=[person.pk], courses=[course.pk])
    events.announce(events.CompletionRecorded((completion.pk,), (person.pk,), (course.pk,)), entry.act)
    return completion


def certificate_number() -> str:
    """A number that can be read out and checked: three groups of four."""
    text = new_public_id().upper()[:12]
    return f"{text[:4]}-{text[4:8]}-{text[8:]}"


@transaction.atomic
def revoke_completion(*, completion: Completion, because: str, by: Actor) -> None:
    """It never was: the person stands as if it had not been recorded, but it stays known for the days before."""
    policy.require(by, "change records", completion)
    _revoke(completion, because=because, by=by)


def _revoke(completion: Completion, *, because: str, by: Actor) -> None:
    completion.revoke()
    data = {"course": completion.course.title, "because": because, "number": completion.number}
    entry = record("revoke_completion", by=by, about=about(completion.person), data=data, rows=[completion])
    refresh(people=[completion.person_id], courses=[completion.course_id])
    events.announce(events.CompletionRevoked((completion.person_id,), (completion.course_id,)), entry.act)


@transaction.atomic
def correct_completion(
    *, completion: Completion, day: date, own_expiry: date | None, because: str, by: Actor
) -> Completion:
    """It was on another day, or counts until another: it is revoked, and recorded as it was, with its number. Raises NotThatDay."""
    policy.require(by, "change records", completion)
    if day > clock.today():
        raise NotThatDay("day", "Nothing is completed on a day to come. Choose today or a day before.")
    if own_expiry is not None and own_expiry < day:
        raise NotThatDay("own_expiry", "It would have run out before it was completed. Choose a later day.")
    if (day, own_expiry) == (completion.day, completion.own_expiry):
        raise NotThatDay("day", "That is what is recorded. Change a day, or go back.")
    before = completion.day
    made = completion.succeeded_by(day=day, own_expiry=own_expiry)
    data = {
        "course": completion.course.title,
        "because": because,
        "number": completion.number,
        "before": before.isoformat(),
        "day": day.isoformat(),
    }
    entry = record("correct_completion", by=by, about=about(completion.person), data=data, rows=[completion, made])
    refresh(people=[completion.person_id], courses=[completion.course_id])
    # What follows from a completion followed from it already: here only that days are others.
    events.announce(events.CompletionRevoked((completion.person_id,), (completion.course_id,)), entry.act)
    return made


def move_places(edition: int) -> QuerySet[Enrolment]:
    """The open places in the course of an edition that are in another one."""
    course = Edition.objects.filter(pk=edition).values("course")
    rows = Enrolment.objects.filter(course__in=course, completed_at__isnull=True, closed_on__isnull=True)
    return rows.exclude(edition=edition)


@transaction.atomic
def move_to_edition(places: Sequence[int], act: events.Act, *, edition: int, size: str) -> None:
    """What a release does to open places (by key): those not begun get the new edition, and with a small release all.

    Places that a later release has moved on meanwhile are left where they are.
    """
    new = Edition.objects.get(pk=edition)
    old = Enrolment.objects.filter(pk__in=places, completed_at__isnull=True, closed_on__isnull=True).filter(
        course=new.course_id, edition__number__lt=new.number
    )
    if new.state == Edition.State.RELEASED:
        old.filter(begun_at__isnull=True).update(edition=new)
    if size == "small":
        _go_on(old.filter(begun_at__isnull=False), new)


def _go_on(old: QuerySet[Enrolment], new: Edition) -> None:
    """Attempts under way go on in the new edition; nobody's progress is lowered by it. So many queries for any number of them."""
    places = list(old.select_related("edition", "person", "course").prefetch_related("steps_done"))
    editions = {place.edition_id: place.edition for place in places} | {new.pk: new}
    outlines = {key: outline_of(row, row.steps.select_related("module")) for key, row in editions.items()}
    done = {place.pk: done_of(place) for place in places}
    for place in places:
        reached = progress(outlines[place.edition_id], done[place.pk], floor=place.floor).percent
        place.edition, place.floor = new, reached
    Enrolment.objects.bulk_update(places, ["edition", "floor"], batch_size=200)
    finished = StepDone.objects.known_now().filter(enrolment=OuterRef("enrolment"), module=OuterRef("module"))
    for module, version in new.steps.values_list("module_id", "version_id"):
        under_way = Attempt.objects.filter(
            ~Exists(finished), enrolment__in=places, module=module, ended_at__isnull=True
        )
        under_way.exclude(version=version).update(version=version)
    for place in places:
        # Without a step that the old edition owed, what is done may already be all that is owed.
        if completed(outlines[new.pk], done[place.pk]) is not None:
            complete_if_done(place, RELEASE)
