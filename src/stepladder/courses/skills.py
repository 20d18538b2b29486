"""Skills, their levels, and the credits that courses give. They hold at once, and need no release. Rule: 10."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from django.db import transaction
from django.db.models import Q, QuerySet

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.skills import LevelNeeds, credits_along
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Credit, Skill, SkillLevel
from stepladder.journal.actions import Actor, Named, record
from stepladder.web.sheets import TOUCHED, touch

__all__ = [
    "MOST_LEVELS",
    "SkillError",
    "Towards",
    "add_skill",
    "all_levels",
    "edit_skill",
    "give_credits",
    "needs_by_level",
    "needs_of",
    "remove_skill",
    "towards",
]

MOST_LEVELS, MOST_CREDITS = 9, 99


class SkillError(CourseError):
    """An act on skills that cannot be done; the message is for people."""

    def __init__(self, message: str, field: str = "") -> None:
        self.field = field
        super().__init__(message)


def about(skill: Skill) -> Named:
    return Named("skill", skill.public_id, skill.name)


def _checked(name: str, but: Skill | None) -> str:
    name = " ".join(name.split())
    if not name:
        raise SkillError("Give the skill a name first.", "name")
    beside = Skill.objects.filter(name__iexact=name)
    if (beside.exclude(pk=but.pk) if but else beside).exists():
        raise SkillError(f"“{name}” is there already.", "name")
    return name


@transaction.atomic
def add_skill(*, name: str, by: Actor, description: str = "", levels: Sequence[tuple[str, int]] = (("", 1),)) -> Skill:
    """A skill with its levels from the lowest up, each a name (or "") and the credits that it needs. Raises SkillError."""
    policy.require(by, "keep skills")
    skill = Skill.objects.create(
        name=_checked(name, None), description=description, changed_at=clock.now(), changed_by=by.name
    )
    record("add_skill", by=by, about=about(skill))
    _set_levels(skill, levels)
    return skill


@transaction.atomic
def edit_skill(
    *, skill: Skill, name: str, description: str, levels: Sequence[tuple[str, int]], revision: int | None, by: Actor
) -> None:
    """Its name, and its levels whole. A level that courses give credits for is not dropped, nor needs less than they give.

    Raises SkillError, NewerChange.
    """
    policy.require(by, "keep skills")
    touch(skill, revision=revision, by_name=by.name)
    skill.name, skill.description = _checked(name, skill), description
    skill.save(update_fields=["name", "description", *TOUCHED])
    _set_levels(skill, levels)
    entry = record("edit_skill", by=by, about=about(skill), data={"levels": len(levels)})
    _announce(skill, entry.act)


def _set_levels(skill: Skill, levels: Sequence[tuple[str, int]]) -> None:
    if not 1 <= len(levels) <= MOST_LEVELS:
        raise SkillError(f"A skill has from one to {MOST_LEVELS} levels.")
    rows = {row.number: row for row in skill.levels.prefetch_related("given__course")}
    for number, (name, credits) in enumerate(levels, 1):
        if not 1 <= credits <= MOST_CREDITS:
            raise SkillError(f"Level {number} needs from 1 to {MOST_CREDITS} credits.")
        row = rows.pop(number, None) or SkillLevel(skill=skill, number=number)
        over = [given for given in row.given.all() if given.credits > credits] if row.pk else []
        if over:
            raise SkillError(
                f"“{over[0].course.title}” gives {over[0].credits} credits for level {number}: it cannot need fewer."
            )
        row.name, row.credits = name.strip()[:120], credits
        row.save()
    for row in rows.values():
        if first := row.given.all().first():
            raise SkillError(f"“{first.course.title}” gives credits for level {row.number}: take those away first.")
        row.delete()


def _announce(skill: Skill, act: events.Act) -> None:
    """Whoever is in a reach that asks for it may be others now."""
    courses = Credit.objects.filter(level__skill=skill).values_list("course_id", flat=True).distinct()
    events.announce(events.SkillChanged(skill.pk, tuple(courses)), act)


@transaction.atomic
def remove_skill(*, skill: Skill, by: Actor) -> None:
    """No longer there; nothing may give credits for it. Raises SkillError."""
    policy.require(by, "keep skills")
    first = Credit.objects.filter(level__skill=skill).select_related("course").first()
    if first is not None:
        raise SkillError(f"“{first.course.title}” gives credits for it: take those away first.")
    record("remove_skill", by=by, about=about(skill))
    skill.delete()


@transaction.atomic
def give_credits(*, course: Course, level: SkillLevel, credits: int, by: Actor) -> None:
    """What the course gives towards a level from now on, also by completions that are there; 0: nothing. Raises SkillError."""
    policy.require(by, "change courses", course)
    if credits > level.credits:
        raise SkillError(f"{level} needs {level.credits}: a course gives no more than that.", "credits")
    if credits < 0:
        raise SkillError("Credits are a whole number from 0.", "credits")
    if credits:
        Credit.objects.update_or_create(course=course, level=level, defaults={"credits": credits})
    else:
        Credit.objects.filter(course=course, level=level).delete()
    data = {"credits": credits, "level": str(level)}
    entry = record("give_credits", by=by, about=Named("course", course.public_id, course.title), data=data)
    events.announce(events.SkillChanged(level.skill_id, (course.pk,)), entry.act)


def needs_by_level(levels: QuerySet[SkillLevel] | None = None) -> dict[int, tuple[LevelNeeds, ...]]:
    """Level → what it and all below it need, the lowest first; of these levels (None: of all)."""
    rows = SkillLevel.objects.order_by("skill", "number")
    if levels is not None:
        rows = rows.filter(skill__in=levels.values("skill"))
    given: dict[int, list[tuple[int, int]]] = {}
    for level, course, credits in Credit.objects.order_by("course").values_list("level_id", "course_id", "credits"):
        given.setdefault(level, []).append((course, credits))
    found: dict[int, tuple[LevelNeeds, ...]] = {}
    below: dict[int, tuple[LevelNeeds, ...]] = {}
    for row in rows:
        needs = LevelNeeds(row.credits, tuple(given.get(row.pk, ())))
        below[row.skill_id] = found[row.pk] = (*below.get(row.skill_id, ()), needs)
    return found


def needs_of(level: int) -> tuple[tuple[LevelNeeds, ...], str] | None:
    """What a level and all below it need, and what it is called; None where it is gone."""
    row = SkillLevel.objects.select_related("skill").filter(pk=level).first()
    if row is None:
        return None
    return needs_by_level(SkillLevel.objects.filter(Q(pk=level)))[level], str(row)


@dataclass(frozen=True)
class Towards:
    """What a course or path gives towards a level: from the fewest credits to the most, as one chooses on the way."""

    level: SkillLevel
    least: int
    most: int

    @property
    def said(self) -> str:
        """In words: "2 to 3 of 4"."""
        span = str(self.least) if self.least == self.most else f"{self.least} to {self.most}"
        return f"{span} of {self.level.credits}"


def towards(stages: Sequence[tuple[Collection[int], Collection[int], int]]) -> list[Towards]:
    """What stages, each its obligatory courses, its electives and how many of them one chooses, give towards which levels."""
    keys = [key for courses, electives, _ in stages for key in (*courses, *electives)]
    by_level: dict[int, dict[int, int]] = {}
    levels: dict[int, SkillLevel] = {}
    for row in Credit.objects.filter(course__in=keys).select_related("level__skill"):
        levels[row.level_id] = row.level
        by_level.setdefault(row.level_id, {})[row.course_id] = row.credits
    found = []
    for key, level in levels.items():
        given = by_level[key]
        least, most = credits_along(
            level.credits,
            [given.get(course, 0) for courses, _, _ in stages for course in courses],
            [([given.get(course, 0) for course in electives], choose) for _, electives, choose in stages],
        )
        found.append(Towards(level, least, most))
    return sorted(found, key=lambda one: (one.level.skill.name, one.level.number))


def all_levels() -> list[tuple[int, str]]:
    """Every level, by key, with what it is called."""
    return [(row.pk, str(row)) for row in SkillLevel.objects.select_related("skill").order_by("skill__name", "number")]
