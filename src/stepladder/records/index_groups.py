"""What apps nearer the roof add to the index of Records: groups of links."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from django.http import HttpRequest

__all__ = ["IndexGroup", "IndexLink", "add_index_group", "index_groups"]


@dataclass(frozen=True)
class IndexLink:
    """A line of the index."""

    label: str
    url: str
    is_here: bool = False


@dataclass(frozen=True)
class IndexGroup:
    """Links under a title, and what leads on from them."""

    title: str
    links: Sequence[IndexLink]
    more: IndexLink | None = None


Make = Callable[[HttpRequest], IndexGroup | None]
_groups: list[tuple[int, Make]] = []


def add_index_group(order: int, make: Make) -> None:
    """Hand in a group; None from *make* leaves it out."""
    _groups.append((order, make))


def index_groups(request: HttpRequest) -> list[IndexGroup]:
    """The groups, in order."""
    made = (make(request) for _, make in sorted(_groups, key=lambda item: item[0]))
    return [group for group in made if group is not None]
