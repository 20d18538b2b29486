"""What must come before a course, beside its own prerequisites: handed in by apps that put courses in an order."""

from __future__ import annotations

from collections.abc import Callable

from stepladder.courses.models import Course
from stepladder.people.models import Person

__all__ = ["add_gate", "waiting_for"]

# Given a person and a course: the titles of what comes first.
Gate = Callable[[Person, Course], list[str]]
_gates: list[Gate] = []


def add_gate(gate: Gate) -> None:
    """Hand in a gate; a course opens when no gate names anything."""
    if gate not in _gates:
        _gates.append(gate)


def waiting_for(person: Person, course: Course) -> list[str]:
    """The titles of everything that gates say comes first, each once."""
    return list(dict.fromkeys(title for gate in _gates for title in gate(person, course)))
