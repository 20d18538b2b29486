"""Pickers show their choices piece by piece: the next come as one scrolls to their end."""

from __future__ import annotations

from django.http import HttpRequest

from stepladder.core.numbers import whole_number

__all__ = ["MOST_CHOICES", "begins_at", "more_after"]

# So many at a time.
MOST_CHOICES = 60


def begins_at(request: HttpRequest) -> int:
    """Behind how many choices the piece that is asked for begins."""
    return whole_number(request.GET.get("after", "")) or 0


def more_after(start: int, shown: int, address: str) -> str:
    """Where the next choices are, after so many *shown* from *start* on; "": there are none."""
    return f"{address}?after={start + shown}" if shown == MOST_CHOICES else ""
