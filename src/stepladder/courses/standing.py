"""How many people stand where on a path, told by an app nearer the roof."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from stepladder.core.path_columns import StageCount
from stepladder.courses.models import Path

__all__ = ["PathStanding", "standing_of", "tell_by"]


@dataclass(frozen=True)
class PathStanding:
    """Of those who are asked to climb a path, and whose records one may open: how many, in which stage, and through with it."""

    people: int
    reached_top: int
    stages: list[StageCount]


Tell = Callable[[Any, Path], PathStanding | None]
_tellers: list[Tell] = []


def tell_by(teller: Tell) -> None:
    """Hand in who stands where, for an account; None where it may not know, or nobody is asked."""
    _tellers.append(teller)


def standing_of(account: Any, path: Path) -> PathStanding | None:
    """Who stands where on a path's newest edition today; None where nobody tells."""
    for teller in _tellers:
        if (found := teller(account, path)) is not None:
            return found
    return None
