"""Today and now, from one place: a demo or a test can live on another day (`./ladder demo --day 2028-02-29`)."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from django.conf import settings

from stepladder.core.days import Calendar, day_of

__all__ = ["calendar", "carrying_on", "now", "pinned", "take_calendar_from", "take_zone_from", "today", "wall", "zone"]

_zone_source: Callable[[], ZoneInfo] = lambda: ZoneInfo(settings.TIME_ZONE)  # noqa: E731 - replaced at start
_calendar_source: Callable[[], Calendar] = Calendar
_pinned: list[datetime] = []
# Each thread has its own: the worker's threads carry on different acts at once.
_act: ContextVar[datetime | None] = ContextVar("act", default=None)


def take_zone_from(source: Callable[[], ZoneInfo]) -> None:
    """Hand in where the organisation's time zone is kept."""
    global _zone_source
    _zone_source = source


def take_calendar_from(source: Callable[[], Calendar]) -> None:
    """Hand in where it is kept how the organisation counts and writes days."""
    global _calendar_source
    _calendar_source = source


def now() -> datetime:
    """The present instant, aware; while the rows of an act follow in the queue, the instant of the act."""
    return _act.get() or wall()


def wall() -> datetime:
    """The present instant whatever act is being carried on: when something was written down."""
    return _pinned[-1] if _pinned else datetime.now(UTC) + settings.CLOCK_SHIFT


def today() -> date:
    """The organisation's calendar day."""
    return day_of(now(), zone())


def zone() -> ZoneInfo:
    """The organisation's time zone."""
    return _zone_source()


def calendar() -> Calendar:
    """How the organisation counts and writes days."""
    return _calendar_source()


@contextmanager
def pinned(instant: datetime) -> Iterator[None]:
    """Within the block, now is *instant*: for loading a past and for tests."""
    _pinned.append(instant)
    try:
        yield
    finally:
        _pinned.pop()


@contextmanager
def carrying_on(act: datetime) -> Iterator[None]:
    """Within the block, now is the instant of an act whose rows follow: they bear its day, whenever the queue comes to them."""
    token = _act.set(act)
    try:
        yield
    finally:
        _act.reset(token)
