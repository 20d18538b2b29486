"""Who holds which level of a skill, and until when. Rule: 10."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.core.days import Span
from stepladder.core.skills import LevelNeeds, held_until
from stepladder.courses.models import Skill, SkillLevel
from stepladder.courses.skills import needs_by_level
from stepladder.learning.validity import earned_spans
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.people.queries import active_on
from stepladder.people.teams import TeamOfPeople
from stepladder.web.margin import Panel
from stepladder.web.tables import LazyRows

__all__ = [
    "HeldLevel",
    "HeldRow",
    "Holders",
    "LevelCount",
    "holders",
    "levels_held",
    "own_skills",
    "skill_section",
    "team_section",
]


@dataclass(frozen=True)
class HeldLevel:
    """The highest level of a skill that somebody holds, until when; and the next, where credits for it are there already."""

    skill: Skill
    level: SkillLevel | None
    until: date | None
    next: SkillLevel | None
    has: int = 0


Earned = Mapping[int, Sequence[Span]]


def _courses(needs: Mapping[int, tuple[LevelNeeds, ...]]) -> frozenset[int]:
    return frozenset(course for levels in needs.values() for one in levels for course in one.courses)


def own_skills(person: Person, *, day: date, known_on: date) -> list[HeldLevel]:
    """The skills of which somebody holds a level, or has credits, on a day as known on a day."""
    needs = needs_by_level()
    asked = _courses(needs)
    earned: Earned = earned_spans([person.pk], known_on, asked).get(person.pk, {}) if asked else {}
    if not earned:
        return []
    by_skill: dict[int, list[SkillLevel]] = {}
    for level in SkillLevel.objects.select_related("skill").order_by("skill__name", "number"):
        by_skill.setdefault(level.skill_id, []).append(level)
    found = [_held(levels, needs, earned, day) for levels in by_skill.values()]
    return [one for one in found if one.level is not None or one.has]


def _held(
    levels: Sequence[SkillLevel], needs: Mapping[int, tuple[LevelNeeds, ...]], earned: Earned, day: date
) -> HeldLevel:
    held, until, following = None, None, None
    for level in levels:
        day_until = held_until(needs[level.pk], earned, day)
        if day_until is None:
            following = level
            break
        held, until = level, day_until
    has = 0
    if following is not None:
        valid = {course for course, spans in earned.items() if any(day in span for span in spans)}
        has = min(sum(count for course, count in needs[following.pk][-1].given if course in valid), following.credits)
    return HeldLevel(levels[0].skill, held, until, following, has)


@dataclass(frozen=True)
class HeldRow:
    """Somebody who holds a level, and until when."""

    person: Person
    level: SkillLevel
    until: date


class Holders(LazyRows[HeldRow]):
    """Who holds a level of a skill, the highest level first and within it who loses it first; only the rows shown are made."""

    def __init__(self, found: Sequence[tuple[int, SkillLevel, date]]) -> None:
        self.found = sorted(found, key=lambda row: (-row[1].number, row[2], row[0]))

    def __len__(self) -> int:
        return len(self.found)

    def made(self, start: int, stop: int) -> list[HeldRow]:
        rows = self.found[start:stop]
        people = Person.objects.in_bulk([person for person, _, _ in rows])
        return [HeldRow(people[person], level, until) for person, level, until in rows]


def holders(skill: Skill, *, day: date, seen: Collection[int] | None) -> Holders:
    """Who of these people (None: of all) who are here holds a level of a skill on a day."""
    levels = list(skill.levels.select_related("skill").order_by("number"))
    needs = needs_by_level(SkillLevel.objects.filter(skill=skill))
    asked = _courses(needs)
    earned = earned_spans(None if seen is None else sorted(seen), day, asked) if asked else {}
    here = set(active_on(day).values_list("person_id", flat=True))
    found = []
    for person, theirs in earned.items():
        held = _held(levels, needs, theirs, day) if person in here else None
        if held is not None and held.level is not None and held.until is not None:
            found.append((person, held.level, held.until))
    return Holders(found)


def levels_held(skills: Sequence[Skill], *, day: date, seen: Collection[int] | None) -> dict[int, int]:
    """Level → how many of these people (None: of all) hold it as their highest on a day; in as many queries for many skills as for one."""
    levels: dict[int, list[SkillLevel]] = {}
    every = SkillLevel.objects.filter(skill__in=list(skills)).select_related("skill").order_by("number")
    for level in every:
        levels.setdefault(level.skill_id, []).append(level)
    needs = needs_by_level(every)
    asked = _courses(needs)
    earned = earned_spans(None if seen is None else sorted(seen), day, asked) if asked else {}
    here = set(active_on(day).values_list("person_id", flat=True))
    counts: dict[int, int] = {}
    for person, theirs in earned.items():
        for of_skill in levels.values() if person in here else ():
            held = _held(of_skill, needs, theirs, day).level
            if held is not None:
                counts[held.pk] = counts.get(held.pk, 0) + 1
    return counts


@dataclass(frozen=True)
class LevelCount:
    """A level, what it asks for, and how many hold it as their highest."""

    level: SkillLevel
    count: int


def skill_section(request: HttpRequest, skill: Skill, day: date) -> Panel | None:
    """The levels of a skill with how many hold each, of those whose records one sees."""
    levels = list(skill.levels.order_by("number"))
    counts: dict[int, int] = {}
    may_open = bool(policy.may(request.user, "open records"))
    if may_open:
        for _, level, _ in holders(skill, day=day, seen=people_seen(request.user, "open records")).found:
            counts[level.pk] = counts.get(level.pk, 0) + 1
    context: dict[str, Any] = {
        "levels": [LevelCount(level, counts.get(level.pk, 0)) for level in levels],
        "may_open": may_open,
        "address": reverse("records:skill", args=[skill.public_id]),
    }
    return Panel("Levels", "records/skill_levels.html", context)


# A team's skills are named by so many; the report of skills has all.
TEAM_SHOWN = 12


def team_section(request: HttpRequest, team: TeamOfPeople, day: date) -> Panel | None:
    """Which skills a manager's people hold, and how many of them each level as their highest."""
    skills = list(Skill.objects.prefetch_related("levels").order_by("name")) if team.seen else []
    counts = levels_held(skills, day=day, seen=team.seen) if skills else {}
    held = [
        (skill, [(level, counts[level.pk]) for level in skill.levels.all() if level.pk in counts]) for skill in skills
    ]
    lines = [line for line in held if line[1]]
    if not lines:
        return None
    context = {"lines": lines[:TEAM_SHOWN], "more": max(len(lines) - TEAM_SHOWN, 0), "people": len(team.seen)}
    return Panel("Skills of your team", "records/team_skills.html", context)
