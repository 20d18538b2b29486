"""The organisation's settings, read by everything that counts days."""

from __future__ import annotations

import time
from zoneinfo import ZoneInfo

from stepladder.accounts.models import Organisation
from stepladder.core.days import Calendar

__all__ = ["calendar", "forget", "organisation", "zone"]

# Settings change once in a while and are read many times a page: other processes see a change after so many seconds.
_KEPT_SECONDS = 5.0
_kept: list[tuple[float, Organisation]] = []


def organisation() -> Organisation:
    """The organisation, or its defaults while nothing is set up."""
    if _kept and time.monotonic() - _kept[0][0] < _KEPT_SECONDS:
        return _kept[0][1]
    found = Organisation.objects.first() or Organisation(name="Your organisation")
    _kept[:] = [(time.monotonic(), found)]
    return found


def forget() -> None:
    """Read the settings anew the next time."""
    _kept.clear()


def zone() -> ZoneInfo:
    """The organisation's time zone."""
    return ZoneInfo(organisation().zone)


def calendar() -> Calendar:
    """The organisation's first weekday and first month."""
    here = organisation()
    return Calendar(here.first_weekday, here.first_month)
