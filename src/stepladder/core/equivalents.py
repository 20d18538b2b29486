"""Courses that satisfy other courses, and courses that must come first. Rules: 4, 6."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

__all__ = ["cycle_in", "satisfied_by"]


def cycle_in(arrows: Mapping[int, Iterable[int]]) -> list[int] | None:
    """The nodes of a cycle in the order of its arrows, the first repeated at the end; None if there is none."""
    done: set[int] = set()

    def follow(node: int, trail: list[int]) -> list[int] | None:
        if node in trail:
            return [*trail[trail.index(node) :], node]
        if node in done:
            return None
        for following in arrows.get(node, ()):
            if found := follow(following, [*trail, node]):
                return found
        done.add(node)
        return None

    for start in arrows:
        if found := follow(start, []):
            return found
    return None


def satisfied_by(course: int, equivalents: Mapping[int, Iterable[int]]) -> frozenset[int]:
    """The course and all whose completion counts as one of it; *equivalents* is course → those that satisfy it."""
    found, waiting = {course}, [course]
    while waiting:
        for other in equivalents.get(waiting.pop(), ()):
            if other not in found:
                found.add(other)
                waiting.append(other)
    return frozenset(found)
