"""How courses and paths are offered: who may find them, how one gets in. No part of an edition: it holds at once. Rule: 12."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from contextlib import suppress
from textwrap import shorten
from typing import Any

from django.db import transaction
from django.db.models import Q

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.admission import Admission
from stepladder.core.reach import ReachError
from stepladder.core.sequence import Part
from stepladder.courses.actions import new_edition, release_course
from stepladder.courses.checks import LONGEST_SUMMARY
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, CourseState, Edition, Offer, OfferReach, Path, Step
from stepladder.courses.permissions import to_change
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.kinds import kind_named
from stepladder.library.models import OUT_OF_USE, Module
from stepladder.people.models import Person
from stepladder.reaches.stored import load_world, parse

__all__ = ["kept_reach", "offer_alone", "offer_of", "renew_alone", "set_offer"]


def offer_of(of: Course | Path) -> Offer:
    """How it is offered; an unsaved row that says "assigned only" where nobody has said yet."""
    wanted = Q(course=of) if isinstance(of, Course) else Q(path=of)
    found = Offer.objects.select_related("found_by", "contact").filter(wanted).first()
    return found or (Offer(course=of) if isinstance(of, Course) else Offer(path=of))


@transaction.atomic
def set_offer(
    *,
    of: Course | Path,
    admission: Admission,
    found_by: Mapping[str, Any] | None,
    wish_days: int | None,
    level: str,
    language: str,
    contact: Person | None,
    by: Actor,
    begins_early: str = "",
) -> Offer:
    """Who may find it (a stored reach; None: everybody), how one gets in, whether who is to come begins it early, and what stands beside
    it. Raises CourseError."""
    policy.require(by, to_change(of), of)
    offer = offer_of(of)
    offer.admission, offer.found_by = admission.value, kept_reach(found_by) if found_by is not None else None
    offer.wish_days, offer.level, offer.language, offer.contact = wish_days, level, language, contact
    offer.begins_early = begins_early
    offer.save()
    kind = "course" if isinstance(of, Course) else "path"
    data = {"admission": admission.value, "whom": "whoever is in a reach" if found_by is not None else "everybody"}
    entry = record("set_offer", by=by, about=Named(kind, of.public_id, of.title), data=data)
    if isinstance(of, Course):
        events.announce(events.CourseChanged(of.pk), entry.act)
    return offer


def kept_reach(reach: Mapping[str, Any]) -> OfferReach:
    """The row of a stored reach: one for all that are offered to the same. Raises CourseError."""
    try:
        parse(reach).check(own_courses=frozenset(), groups=load_world().groups)
    except ReachError as refusal:
        raise CourseError(str(refusal)) from None
    text = json.dumps(reach, sort_keys=True)
    kept, _ = OfferReach.objects.get_or_create(
        digest=hashlib.sha256(text.encode()).hexdigest(), defaults={"reach": dict(reach)}
    )
    return kept


@transaction.atomic
def offer_alone(*, module: Module, by: Actor) -> Course:
    """The course that a module is by itself: that one step, without validity, like its newest version. Raises CourseError."""
    policy.require(by, "change modules", module)
    found = Course.objects.filter(alone=module).first()
    if found is not None and found.state == CourseState.RELEASED:
        return found
    if module.state in OUT_OF_USE or not module.versions.exists():
        raise CourseError(f"“{module.title}” cannot be opened by itself: release it first.")
    if not kind_named(module.kind).is_played:
        raise CourseError(f"“{module.title}” is held on days: put it into a course, whose people then book a seat.")
    if found is not None:
        # It was withdrawn: what was done in it is there, so it is offered again, and follows its module.
        found.state = CourseState.RELEASED
        found.save(update_fields=["state"])
        entry = record("offer_alone", by=by, about=Named("course", found.public_id, found.title))
        _follow(module.pk, entry.act)
        events.announce(events.CourseChanged(found.pk), entry.act)
        return found
    course = Course.objects.create(title=module.title[:160], binder=module.binder, alone=module)
    draft = Edition.objects.create(
        course=course, number=1, title=course.title, changed_at=clock.now(), changed_by=by.name
    )
    version = module.versions.order_by("-number")[0]
    Step.objects.create(edition=draft, part=Part.MAIN, place=1, module=module, version=version)
    _as_its_module(course, draft, module)
    record("offer_alone", by=by, about=Named("course", course.public_id, course.title))
    release_course(course=course, size="large", retake_by=None, by=by)
    return course


def _as_its_module(course: Course, draft: Edition, module: Module) -> None:
    """What it is called, what it says, its topics and picture are its module's."""
    draft.title = course.title = module.title[:160]
    newest = module.versions.order_by("-number")[0]
    said = " ".join(module.description.split())
    # What is too long for a summary stands whole in the description.
    draft.summary = shorten(said, LONGEST_SUMMARY, placeholder=" …")
    draft.summary = draft.summary or kind_named(module.kind).describe(newest.data) or draft.title
    draft.description = module.description if len(said) > LONGEST_SUMMARY else ""
    draft.save(update_fields=["title", "summary", "description"])
    course.picture = module.picture
    course.save(update_fields=["title", "picture"])
    course.topics.set(module.topics.all())
    course.tags.set(module.tags.all())


def renew_alone(event: events.ModuleProcessed, act: events.Act) -> None:
    """A module that is offered by itself has a newer version, or is called otherwise: so is what is offered, by a small release.

    Where that is refused, the sheet of the course says that there is a newer version.
    """
    _follow(event.module, act)


def _follow(of: int, act: events.Act) -> None:
    course = Course.objects.filter(alone=of, state=CourseState.RELEASED).select_related("alone").first()
    if course is None or course.alone is None or course.alone.state in OUT_OF_USE:
        return
    module = course.alone
    edition = course.editions.get(state=Edition.State.RELEASED)
    newest = module.versions.order_by("-number")[0]
    if edition.steps.filter(version=newest).exists() and edition.title == module.title[:160]:
        return
    by = events.Doer(act.by.public_id, act.by.name)
    with suppress(CourseError), transaction.atomic():
        draft = new_edition(course=course, by=by)
        draft.steps.update(version=newest)
        _as_its_module(course, draft, module)
        release_course(course=course, size="small", retake_by=None, by=by)
