"""What a plan was asked to heed, and what of it cannot be met whatever is planned."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Literal

from stepladder.core.planning.problem import Problem

__all__ = ["Unmet", "Wish", "unmet", "wishes_of", "without"]

Wish = Literal["units", "sites", "languages", "instructors"]


@dataclass(frozen=True)
class Unmet:
    """What is missing for some of the people: days, rooms (at a *site*), or instructors (who speak a *language*)."""

    what: Literal["days", "rooms", "instructors"]
    people: int
    site: int | None = None
    language: str = ""


def wishes_of(problem: Problem) -> list[Wish]:
    """The wishes that a problem has: those that can be let go of one by one, to see what each costs."""
    found: list[Wish] = []
    if problem.limits:
        found.append("units")
    if problem.by_site and any(room.site is not None for room in problem.rooms):
        found.append("sites")
    if problem.by_language and len(problem.languages()) > 1:
        found.append("languages")
    if problem.instructors is not None:
        found.append("instructors")
    return found


def without(problem: Problem, wish: Wish) -> Problem:
    """The same without that wish."""
    match wish:
        case "units":
            return replace(problem, limits=())
        case "sites":
            return replace(problem, by_site=False)
        case "languages":
            return replace(problem, by_language=False)
        case "instructors":
            return replace(problem, instructors=None)


def unmet(problem: Problem) -> list[Unmet]:
    """For whom no plan has a seat: of each site those without any room, of each language those without any instructor."""
    count = len(problem.learners)
    if not problem.days:
        return [Unmet("days", count)]
    rooms = [room for room in problem.rooms if problem.seats_in(room) and any(True for _ in problem.slots_of(room))]
    if not rooms and not problem.open_sessions:
        return [Unmet("rooms", count)]
    found = []
    for site in sorted({learner.site for learner in problem.learners if learner.site is not None}):
        here = [learner for learner in problem.learners if learner.site == site]
        given = [(room.site, here[0].language) for room in rooms]
        given += [(one.site, one.language) for one in problem.open_sessions]
        if not any(problem.suits(here[0], place, language) for place, language in given):
            found.append(Unmet("rooms", len(here), site))
    for language in problem.languages() if problem.instructors is not None else ():
        speak = [
            one for one in problem.instructors or () if not one.languages or not language or language in one.languages
        ]
        days = {day.weekday() for day in problem.days}
        if not any(one.weekdays & days and one.most_a_day > 0 for one in speak):
            needing = sum(not problem.by_language or one.language == language for one in problem.learners)
            found.append(Unmet("instructors", needing, language=language))
    return found
