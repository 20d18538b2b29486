"""Numbers that stand for words in arrays, and what belongs to courses and modules."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from django.db.models import F
from numpy.typing import NDArray

from stepladder import clock
from stepladder.core.columns import is_one_of
from stepladder.core.time_columns import days_of_instants
from stepladder.courses.models import Step
from stepladder.library.kinds import kinds
from stepladder.library.models import Module

__all__ = [
    "days_of",
    "kind_codes",
    "kind_names",
    "modules_of_courses",
    "name_of",
    "of_courses",
]


def days_of(micros: NDArray[np.int64]) -> NDArray[np.int64]:
    """The organisation's days of instants, as ordinals."""
    return days_of_instants(micros, clock.zone())


def kind_names() -> list[tuple[str, str]]:
    """(name, what it is called) of every kind of module, in the order of their codes."""
    return [(kind.name, kind.name) for kind in kinds()]


def kind_codes(modules: NDArray[np.int64]) -> NDArray[np.int64]:
    """The code of the kind of each module, -1 where there is no module."""
    places = {name: place for place, (name, _) in enumerate(kind_names())}
    return _one_each(
        modules,
        lambda keys: {
            key: places.get(kind, -1) for key, kind in Module.objects.filter(pk__in=keys).values_list("pk", "kind")
        },
    )


def _one_each(keys: NDArray[np.int64], codes: Callable[[list[int]], dict[int, int]]) -> NDArray[np.int64]:
    """For each key a code, asked for once for all different ones; -1 where there is none."""
    different, place = np.unique(keys, return_inverse=True)
    found = codes(different.tolist())
    return np.array([found.get(key, -1) for key in different.tolist()], dtype=np.int64)[place]


def modules_of_courses(courses: frozenset[int]) -> set[int]:
    """The modules that are steps of these courses."""
    return set(Step.objects.filter(edition__course__in=courses).order_by().values_list("module", flat=True).distinct())


def of_courses(column: NDArray[np.int64], courses: frozenset[int] | None) -> NDArray[np.bool_]:
    """Which rows are of these courses (None: all)."""
    if courses is None:
        return np.ones(len(column), dtype=bool)
    return np.where(column >= 0, is_one_of(np.maximum(column, 0), courses), False)


def name_of(model: Any, keys: Sequence[int], field: str) -> dict[int, str]:
    """Key → a field of it."""
    return dict(model._default_manager.filter(pk__in=set(keys)).values_list("pk", F(field)))
