"""Everything that writes a draft: sections, who writes in which, options. What is released is in releasing.py.

A draft is not journaled change by change: each section keeps what it was before somebody began to change it. What leaves the draft,
and what is taken out of it, is.
"""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django.db.models import F, Max

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.lessons import BadTree, Options, check_tree, media_in, read_options
from stepladder.identity import new_public_id
from stepladder.journal.actions import Actor, record
from stepladder.library.actions import about, create_draft
from stepladder.library.models import Binder
from stepladder.web.sheets import TOUCHED, NewerChange, touch
from stepladder.writing.beside import are_usable
from stepladder.writing.drafts import keep_earlier, mark_changed
from stepladder.writing.errors import LastSection, SectionGone, SectionTaken, Unwritable
from stepladder.writing.kind import KIND
from stepladder.writing.models import EarlierSection, Lesson, Section

__all__ = [
    "add_section",
    "create_lesson",
    "duplicate_section",
    "fetch_back",
    "hide_until",
    "leave_section",
    "move_section",
    "put_back",
    "remove_section",
    "save_section",
    "set_options",
    "take_section",
]

MOST_SECTIONS = 200


@transaction.atomic
def create_lesson(*, binder: Binder, title: str, by: Actor, description: str = "") -> Lesson:
    """A lesson with one empty section, as a draft that nobody can put into a course yet."""
    policy.require(by, "change modules", binder)
    module = create_draft(binder=binder, kind=KIND, title=title, by=by, description=description)
    lesson = Lesson.objects.create(module=module, changed_at=clock.now(), changed_by=by.name)
    Section.objects.create(lesson=lesson, place=0, title="", changed_at=clock.now(), changed_by=by.name)
    return lesson


@transaction.atomic
def add_section(*, lesson: Lesson, by: Actor, after: Section | None = None, title: str = "") -> Section:
    """A new section after another, or at the end."""
    policy.require(by, "change modules", lesson.module)
    place = _room_after(lesson, after)
    made = Section.objects.create(lesson=lesson, place=place, title=title, changed_at=clock.now(), changed_by=by.name)
    mark_changed(lesson, by.name)
    return made


def _room_after(lesson: Lesson, after: Section | None) -> int:
    """A free place after a section, or at the end; what stands behind it moves on."""
    live = lesson.sections.filter(removed_at=None)
    if live.count() >= MOST_SECTIONS:
        raise Unwritable(f"A lesson has at most {MOST_SECTIONS} sections. Make two of it.")
    if after is None:
        last = lesson.sections.aggregate(Max("place"))["place__max"]
        return 0 if last is None else last + 1
    place = Section.objects.values_list("place", flat=True).get(pk=after.pk) + 1
    lesson.sections.filter(place__gte=place).update(place=F("place") + 1)
    return place


@transaction.atomic
def duplicate_section(*, section: Section, by: Actor) -> Section:
    """Another like it, right behind it; its blocks have names of their own."""
    lesson = section.lesson
    policy.require(by, "change modules", lesson.module)
    section.refresh_from_db()
    tree = copy.deepcopy(section.tree)
    for block in tree["content"]:
        block["attrs"]["id"] = ""
    made = Section.objects.create(
        lesson=lesson,
        place=_room_after(lesson, section),
        title=f"{section.title[:190]} (copy)" if section.title else "",
        tree=check_tree(tree, new_public_id),
        changed_at=clock.now(),
        changed_by=by.name,
    )
    mark_changed(lesson, by.name)
    return made


@transaction.atomic
def move_section(*, section: Section, to: int, by: Actor) -> None:
    """Put a section at a place among those that are there, from 0."""
    lesson = section.lesson
    policy.require(by, "change modules", lesson.module)
    others = list(lesson.sections.filter(removed_at=None).exclude(pk=section.pk).order_by("place", "pk"))
    others.insert(min(max(to, 0), len(others)), section)
    for place, one in enumerate(others):
        Section.objects.filter(pk=one.pk).update(place=place)
    mark_changed(lesson, by.name)


@transaction.atomic
def remove_section(*, section: Section, by: Actor) -> None:
    """Take a section out; it can be put back. Raises LastSection, SectionTaken."""
    lesson = section.lesson
    policy.require(by, "change modules", lesson.module)
    section.refresh_from_db()
    _check_free(section, by)
    if not lesson.sections.filter(removed_at=None).exclude(pk=section.pk).exists():
        raise LastSection
    section.removed_at = clock.now()
    section.save(update_fields=["removed_at"])
    record("remove_section", by=by, about=about(lesson.module), data={"section": section.title or "without a title"})
    mark_changed(lesson, by.name)


@transaction.atomic
def put_back(*, section: Section, by: Actor) -> None:
    """A section that was taken out is there again, where it was."""
    policy.require(by, "change modules", section.lesson.module)
    Section.objects.filter(pk=section.pk).update(removed_at=None)
    record(
        "put_back_section",
        by=by,
        about=about(section.lesson.module),
        data={"section": section.title or "without a title"},
    )
    mark_changed(section.lesson, by.name)


@transaction.atomic
def hide_until(*, section: Section, check: str, by: Actor) -> None:
    """Hide a section until a check in an earlier one was passed; "" shows it from the start. Raises Unwritable."""
    policy.require(by, "change modules", section.lesson.module)
    if check and check not in _checks_before(section):
        raise Unwritable("Choose a check in a section before this one: after it, nobody could pass it in time.")
    Section.objects.filter(pk=section.pk).update(hidden_until=check)
    mark_changed(section.lesson, by.name)


def _checks_before(section: Section) -> set[str]:
    before = section.lesson.sections.filter(removed_at=None, place__lt=section.place)
    return {block["attrs"]["id"] for one in before for block in one.tree["content"] if block["type"] == "check"}


def _check_free(section: Section, by: Actor) -> None:
    if section.is_taken_from(getattr(by, "pk", 0) or 0):
        assert section.taken_by is not None
        raise SectionTaken(section.taken_by.name)


@transaction.atomic
def take_section(*, section: Section, by: Account) -> None:
    """Begin to write in a section: for others it is taken until five idle minutes later. Raises SectionTaken."""
    policy.require(by, "change modules", section.lesson.module)
    section.refresh_from_db(from_queryset=Section.objects.select_for_update())
    _check_free(section, by)
    Section.objects.filter(pk=section.pk).update(taken_by=by, taken_at=clock.now())


@transaction.atomic
def leave_section(*, section: Section, by: Account) -> None:
    """Whoever wrote in it goes on elsewhere: it is free at once."""
    policy.require(by, "change modules", section.lesson.module)
    Section.objects.filter(pk=section.pk, taken_by=by).update(taken_by=None, taken_at=None)


@transaction.atomic
def save_section(
    *,
    section: Section,
    revision: int | None,
    title: str,
    tree: Mapping[str, Any],
    by: Account,
    name: str = "",
) -> Section:
    """What a section says now. *revision* is the one it was opened at (None: overwrite knowingly); *name* is what the page calls
    this change: sent again after a lost answer, it is taken once.

    Raises Unwritable, NewerChange, SectionTaken, SectionGone.
    """
    policy.require(by, "change modules", section.lesson.module)
    try:
        checked = check_tree(tree, new_public_id)
    except BadTree as refusal:
        raise Unwritable(str(refusal)) from None
    section.refresh_from_db(from_queryset=Section.objects.select_for_update())
    if name and section.last_save == name:
        return section
    if section.removed_at is not None:
        raise SectionGone
    # Who is behind is shown what happened meanwhile, also where the other still writes.
    if revision is not None and revision != section.revision:
        raise NewerChange(section)
    _check_free(section, by)
    _check_media(checked, section, by)
    if checked == section.tree and title == section.title:
        return section
    keep_earlier(section, by.name, is_overwritten=revision is None)
    touch(section, revision=revision, by_name=by.name)
    section.title, section.tree, section.last_save = title, checked, name
    section.taken_by, section.taken_at = by, clock.now()
    section.save(update_fields=[*TOUCHED, "title", "tree", "last_save", "taken_by", "taken_at"])
    mark_changed(section.lesson, by.name)
    return section


def _check_media(tree: Mapping[str, Any], section: Section, by: Account) -> None:
    """Whoever puts a film or a document into a lesson may use it: its readers see it by the lesson's right, not by their own."""
    if not are_usable(set(media_in(tree)) - set(media_in(section.tree)), by):
        raise Unwritable(
            "A film, sound or document in it is not yours to use, or is gone. Choose another in its stead."
        )


@transaction.atomic
def fetch_back(*, earlier: EarlierSection, by: Account) -> Section:
    """A section is again what it was; what it is now is kept as an earlier state. Raises SectionTaken."""
    section = earlier.section
    policy.require(by, "change modules", section.lesson.module)
    return save_section(section=section, revision=None, title=earlier.title, tree=earlier.tree, by=by)


@transaction.atomic
def set_options(*, lesson: Lesson, options: Mapping[str, Any], by: Actor) -> Options:
    """How the lesson is read: some of its options; the others stay. Raises Unwritable."""
    policy.require(by, "change modules", lesson.module)
    lesson.refresh_from_db(from_queryset=Lesson.objects.select_for_update())
    try:
        read = read_options({**lesson.options, **options})
    except BadTree as refusal:
        raise Unwritable(str(refusal)) from None
    if read.kept() != lesson.options:
        lesson.options = read.kept()
        lesson.save(update_fields=["options"])
        mark_changed(lesson, by.name)
    return read
