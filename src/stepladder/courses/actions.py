"""Everything that writes courses."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date
from typing import Any, Literal

from django.db import transaction
from django.db.models import Max

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.equivalents import cycle_in
from stepladder.core.sequence import Part
from stepladder.courses.checks import Draft, check_release, small_is_possible
from stepladder.courses.errors import CannotRelease, Circle, CourseError, NotADraft
from stepladder.courses.models import Course, CourseState, CourseTerms, Edition, Offer, Path, Step
from stepladder.courses.patterns import COURSE_PATTERNS
from stepladder.courses.permissions import to_change
from stepladder.courses.topics import take_over
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Binder, Module
from stepladder.web.sheets import touch

__all__ = [
    "about",
    "add_steps",
    "copy_course",
    "create_course",
    "discard_draft",
    "draft_of",
    "edit_edition",
    "edit_step",
    "new_edition",
    "order_steps",
    "ready_for_release",
    "release_course",
    "remove_step",
    "set_picture",
    "set_relations",
    "set_terms",
    "withdraw_course",
]


def about(course: Course) -> Named:
    """The course as the journal names it."""
    return Named("course", course.public_id, course.title)


@transaction.atomic
def create_course(*, title: str, binder: Binder, by: Actor, pattern: str = "") -> Course:
    """A course with a draft without steps, as a pattern says. Learners see nothing of it."""
    policy.require(by, "change courses", binder)
    like = COURSE_PATTERNS[pattern]
    course = Course.objects.create(title=title, binder=binder)
    Edition.objects.create(
        course=course,
        number=1,
        title=title,
        preparation_order=like.preparation_order.value,
        main_order=like.main_order.value,
        lowest_score=like.lowest_score,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    rows: list[CourseTerms] = []
    if like.valid is not None:
        rows = [CourseTerms.objects.create(course=course, from_day=clock.today(), **asdict(like.valid))]
    if like.admission is not None:
        Offer.objects.create(course=course, admission=like.admission)
    entry = record("create_course", by=by, about=about(course), rows=rows)
    events.announce(events.CourseChanged(course.pk), entry.act)
    return course


def draft_of(course: Course) -> Edition:
    """The course's draft. Raises NotADraft where there is none."""
    draft = Edition.objects.filter(course=course, state=Edition.State.DRAFT).first()
    if draft is None:
        raise NotADraft(course.title)
    return draft


@transaction.atomic
def edit_edition(*, course: Course, revision: int | None, by: Actor, **words: Any) -> Edition:
    """The draft's title, summary, description, outcome, orders and what completes it. Raises NewerChange, NotADraft."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    touch(draft, revision=revision, by_name=by.name)
    for name, value in words.items():
        setattr(draft, name, value)
    draft.save()
    if course.state == CourseState.DRAFT:
        Course.objects.filter(pk=course.pk).update(title=draft.title)
        course.title = draft.title
    entry = record("edit_course", by=by, about=about(course))
    events.announce(events.CourseChanged(course.pk), entry.act)
    return draft


@transaction.atomic
def set_terms(
    *,
    course: Course,
    months: int,
    days: int,
    is_calendar_year: bool,
    window_days: int,
    grace_days: int,
    from_day: date,
    by: Actor,
) -> CourseTerms:
    """How long completions from *from_day* on count. Earlier terms stay as they are, with what was derived by them;
    later ones are revoked, since "from that day on" speaks of their days too."""
    policy.require(by, "change courses", course)
    rows = list(CourseTerms.objects.known_now().filter(course=course, from_day__gte=from_day))
    for row in rows:
        row.revoke()
    terms = CourseTerms.objects.create(
        course=course,
        from_day=from_day,
        months=months,
        days=days,
        is_calendar_year=is_calendar_year,
        window_days=window_days,
        grace_days=grace_days,
    )
    entry = record("set_terms", by=by, about=about(course), rows=[*rows, terms])
    events.announce(events.CourseTermsChanged(course.pk), entry.act)
    return terms


@transaction.atomic
def set_relations(
    *, course: Course, prerequisites: Sequence[Course], satisfied_by: Sequence[Course], by: Actor
) -> None:
    """What must come first, and which courses count as this one. Raises Circle, naming it."""
    policy.require(by, "change courses", course)
    for field, chosen in (("prerequisites", prerequisites), ("satisfied_by", satisfied_by)):
        relation = getattr(Course, field).through
        arrows: dict[int, list[int]] = {}
        for a, b in relation.objects.exclude(from_course=course).values_list("from_course_id", "to_course_id"):
            arrows.setdefault(a, []).append(b)
        # As it would be: the circle is found before anything is stored.
        arrows[course.pk] = [c.pk for c in chosen]
        circle = cycle_in({course.pk: arrows[course.pk], **arrows})
        if circle:
            titles = dict(Course.objects.filter(pk__in=circle).values_list("pk", "title"))
            raise Circle([titles[pk] for pk in circle], field)
        getattr(course, field).set(chosen)
    entry = record("relate_course", by=by, about=about(course))
    events.announce(events.CourseTermsChanged(course.pk), entry.act)


@transaction.atomic
def add_steps(*, course: Course, part: Part, modules: Sequence[Module], by: Actor) -> int:
    """Put modules at the end of a part of the draft, each once; how many were added."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    used = set(draft.steps.values_list("module_id", flat=True))
    place = draft.steps.filter(part=part).aggregate(last=Max("place"))["last"] or 0
    added = 0
    for module in modules:
        policy.require(by, "use modules", module)
        if module.pk in used:
            continue
        added += 1
        if part is Part.ENTRY:
            _check_entry(draft, module, added)
        # A step holds to the version that its author saw; learners never get another under their feet.
        newest = module.versions.order_by("-number")[0]
        Step.objects.create(
            edition=draft,
            part=part,
            place=place + added,
            module=module,
            version=newest,
            is_obligatory=part is not Part.ENTRY,
        )
    if added:
        take_over(course, [module for module in modules if module.pk not in used])
        _changed(course, draft, by, "add_steps", count=f"{added} step{'s' if added != 1 else ''}")
    return added


# What has a score by which one passes.
TESTS = ("quiz", "package")


def _check_entry(draft: Edition, module: Module, count: int) -> None:
    """An entry test is one, and something that is passed. Raises CourseError."""
    if count > 1 or draft.steps.filter(part=Part.ENTRY).exists():
        raise CourseError("A course has one entry test. Take the other one out first.")
    if module.kind not in TESTS:
        raise CourseError(f"“{module.title}” is no test: an entry test is a quiz, or a package with a score.")


def _check_order(draft: Edition, placed: Sequence[tuple[int, Part]]) -> None:
    entries = [pk for pk, part in placed if part is Part.ENTRY]
    if len(entries) > 1:
        raise CourseError("A course has one entry test. Take the other one out first.")
    for step in draft.steps.filter(pk__in=entries).exclude(part=Part.ENTRY).select_related("module"):
        if step.module.kind not in TESTS:
            raise CourseError(f"“{step.module.title}” is no test: an entry test is a quiz, or a package with a score.")


@transaction.atomic
def order_steps(*, course: Course, placed: Sequence[tuple[int, Part]], by: Actor) -> None:
    """The draft's steps in this order, each in its part: (step, part) from top to bottom."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    steps = {step.pk: step for step in draft.steps.all()}
    # No revision is asked: an order of the very steps there are cannot undo what another did.
    if set(steps) != {pk for pk, _ in placed}:
        raise CourseError("The steps were changed by somebody else in the meantime. The list below is the newest.")
    _check_order(draft, placed)
    for place, (pk, part) in enumerate(placed, 1):
        if part is Part.ENTRY or steps[pk].part == Part.ENTRY:
            steps[pk].is_obligatory = part is not Part.ENTRY
        steps[pk].place, steps[pk].part = place, part
    Step.objects.bulk_update(steps.values(), ["place", "part", "is_obligatory"])
    _changed(course, draft, by, "order_steps")


@transaction.atomic
def edit_step(
    *,
    course: Course,
    step: Step,
    is_obligatory: bool,
    weight: int,
    take_newest: bool,
    by: Actor,
    is_spared: bool = True,
) -> None:
    """Whether a step is owed, what its score weighs, whether it takes the module's newest version, and whether an entry test spares it."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    if step.edition_id != draft.pk:
        raise NotADraft(course.title)
    # Nobody owes an entry test.
    step.is_obligatory = is_obligatory and step.part != Part.ENTRY
    step.weight, step.is_spared = weight, is_spared
    if take_newest:
        step.version = step.module.versions.order_by("-number")[0]
    step.save()
    _changed(course, draft, by, "edit_step", module=step.title)


@transaction.atomic
def remove_step(*, course: Course, step: Step, by: Actor) -> None:
    """Take a step out of the draft; the module stays in the library."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    if step.edition_id != draft.pk:
        raise NotADraft(course.title)
    title = step.title
    step.delete()
    _changed(course, draft, by, "remove_step", module=title)


def _changed(course: Course, draft: Edition, by: Actor, verb: str, **data: Any) -> None:
    # Steps and words are changed beside each other: the revision guards the words only, steps are compared as a set.
    Edition.objects.filter(pk=draft.pk).update(changed_at=clock.now(), changed_by=by.name)
    record(verb, by=by, about=about(course), data=data)


@transaction.atomic
def new_edition(*, course: Course, by: Actor) -> Edition:
    """A draft like the released edition, to be changed. Learners keep the released one until it is released."""
    policy.require(by, "change courses", course)
    existing = Edition.objects.filter(course=course, state=Edition.State.DRAFT).first()
    if existing:
        return existing
    released = Edition.objects.get(course=course, state=Edition.State.RELEASED)
    number = Edition.objects.filter(course=course).aggregate(last=Max("number"))["last"] + 1
    draft = _draft_like(released, course, number, by)
    record("new_edition", by=by, about=about(course), data={"number": number})
    return draft


def _draft_like(source: Edition, course: Course, number: int, by: Actor) -> Edition:
    """A draft of a course with the words, orders and steps of an edition, of this course or another."""
    draft = Edition.objects.create(
        course=course,
        number=number,
        title=source.title,
        summary=source.summary,
        description=source.description,
        outcome=source.outcome,
        preparation_order=source.preparation_order,
        main_order=source.main_order,
        optional_owed=source.optional_owed,
        lowest_score=source.lowest_score,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    Step.objects.bulk_create(
        Step(
            edition=draft,
            part=s.part,
            place=s.place,
            module_id=s.module_id,
            version_id=s.version_id,
            is_obligatory=s.is_obligatory,
            weight=s.weight,
            is_spared=s.is_spared,
        )
        for s in source.steps.all()
    )
    return draft


@transaction.atomic
def copy_course(*, course: Course, title: str, binder: Binder, by: Actor) -> Course:
    """A draft like the newest edition of a course, under another title, with its terms of today and what comes before it.

    What it counts as is not copied: a copy proves nothing that its original proves, before somebody says so.
    """
    policy.require(by, "see courses", course)
    policy.require(by, "change courses", binder)
    source = Edition.objects.filter(course=course).order_by("-number")[0]
    for step in source.steps.select_related("module__binder"):
        # As where steps are added: what one may not see, one does not put into a course.
        policy.require(by, "use modules", step.module)
    made = Course.objects.create(title=title, binder=binder)
    draft = _draft_like(source, made, 1, by)
    draft.title = title
    draft.save(update_fields=["title"])
    made.prerequisites.set(course.prerequisites.all())
    made.topics.set(course.topics.all())
    made.tags.set(course.tags.all())
    rows: list[CourseTerms] = []
    terms = (
        CourseTerms.objects.known_now().filter(course=course, from_day__lte=clock.today()).order_by("from_day").last()
    )
    if terms is not None:
        kept = {
            name: getattr(terms, name) for name in ("months", "days", "is_calendar_year", "window_days", "grace_days")
        }
        rows = [CourseTerms.objects.create(course=made, from_day=clock.today(), **kept)]
    entry = record("copy_course", by=by, about=about(made), data={"of": course.title}, rows=rows)
    events.announce(events.CourseChanged(made.pk), entry.act)
    return made


@transaction.atomic
def discard_draft(*, course: Course, by: Actor) -> None:
    """Drop the draft of a course that has a released edition."""
    policy.require(by, "change courses", course)
    draft = draft_of(course)
    if course.state == CourseState.DRAFT:
        raise CourseError("This course was never released: it is its draft. Withdraw it if it is not wanted.")
    number = draft.number
    draft.delete()
    record("discard_draft", by=by, about=about(course), data={"number": number})


@transaction.atomic
def release_course(
    *, course: Course, size: Literal["small", "large"], retake_by: date | None, by: Actor, note: str = ""
) -> Edition:
    """Learners see the draft from now on; who is under way, or has to take it again, is told the *note*, if there is one.

    Raises CannotRelease with everything that is missing. Rule: 6.
    """
    policy.require(by, "change courses", course)
    draft, steps, old = ready_for_release(course=course, size=size, retake_by=retake_by)
    if old:
        old.state = Edition.State.SUPERSEDED
        old.save(update_fields=["state"])
    # The first edition is neither small nor large: there is nobody to whom it could be.
    draft.state, draft.size = Edition.State.RELEASED, size if old else ""
    draft.retake_by = retake_by if old and size == "large" else None
    draft.released_at, draft.released_on, draft.planned = clock.now(), clock.today(), None
    draft.save()
    for step in steps:
        step.released_title = step.module.title
    Step.objects.bulk_update(steps, ["released_title"])
    course.state, course.title = CourseState.RELEASED, draft.title
    course.save(update_fields=["state", "title"])
    said = {"number": draft.number, "size": size} | ({"note": note} if note else {})
    entry = record("release_course", by=by, about=about(course), data=said)
    events.announce(events.CourseChanged(course.pk), entry.act)
    events.announce(events.CourseReleased(course.pk, draft.pk, size, draft.retake_by, note if old else ""), entry.act)
    return draft


def ready_for_release(
    *, course: Course, size: Literal["small", "large"], retake_by: date | None
) -> tuple[Edition, list[Step], Edition | None]:
    """The draft, its steps, and the edition that it comes after. Raises CannotRelease with everything that is missing, CourseError."""
    draft = draft_of(course)
    steps = list(draft.steps.select_related("module"))
    findings = check_release(Draft(course, draft, steps, list(course.prerequisites.all())))
    if missing := [finding.text for finding in findings if not finding.ok]:
        raise CannotRelease(draft.title, missing)
    old = Edition.objects.filter(course=course, state=Edition.State.RELEASED).first()
    old_steps = list(old.steps.select_related("module")) if old else []
    added = small_is_possible(old, old_steps, draft, steps)
    if size == "small" and added:
        raise CourseError(f"“{added[0]}” is a new obligatory step, so this is a large release: choose that.")
    if retake_by is not None and retake_by < clock.today():
        raise CourseError("The day to retake it by has passed. Choose a later one.")
    # Asked before anything is written: an app that plays the course may have a reason against it.
    proposal = events.EditionProposed(course.pk, draft.pk, size, retake_by if size == "large" else None)
    if refusals := [line.text for line in events.propose(proposal) if line.refuses]:
        raise CourseError(" ".join(refusals))
    return draft, steps, old


@transaction.atomic
def set_picture(*, of: Course | Path, digest: str, by: Actor) -> None:
    """A picture of its own (library.own_pictures), or none: then one is drawn. Learners see it without a release."""
    policy.require(by, to_change(of), of)
    of.picture = digest
    of.save(update_fields=["picture"])
    named = Named("course" if isinstance(of, Course) else "path", of.public_id, of.title)
    record("set_picture", by=by, about=named, data={"how": "a picture of its own" if digest else "no own picture"})


@transaction.atomic
def withdraw_course(*, course: Course, by: Actor) -> None:
    """No longer offered or assigned anew; what was completed stays."""
    policy.require(by, "change courses", course)
    course.state = CourseState.WITHDRAWN
    course.save(update_fields=["state"])
    entry = record("withdraw_course", by=by, about=about(course))
    events.announce(events.CourseChanged(course.pk), entry.act)
