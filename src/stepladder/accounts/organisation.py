"""The organisation's settings, read by everything that counts days."""

from __future__ import annotations

import threading
from typing import Any
from zoneinfo import ZoneInfo

from django.core.signals import request_started
from django.db import OperationalError
from django_tasks.signals import task_started

from stepladder.accounts.models import Organisation
from stepladder.core.days import Calendar

__all__ = ["calendar", "forget", "organisation", "zone"]

# Settings are read many times a page. They are kept for one request or one task, and no longer: what another process has
# changed is seen by the very next one.
_kept = threading.local()


def organisation() -> Organisation:
    """The organisation, or its defaults while nothing is set up."""
    found: Organisation | None = getattr(_kept, "organisation", None)
    if found is None:
        try:
            found = Organisation.objects.first() or Organisation(name="Your organisation")
        except OperationalError:
            # While an older database is brought up to date it has fewer columns; what is written down then needs the zone alone.
            known = Organisation.objects.values_list("name", "zone").first() or ("Your organisation", "UTC")
            return Organisation(name=known[0], zone=known[1])
        _kept.organisation = found
    return found


def forget(**_: object) -> None:
    """Read the settings anew the next time: at the start of each request and task, and where they are written."""
    _kept.organisation = None


request_started.connect(forget)
task_started.connect(forget)


def zone() -> ZoneInfo:
    """The organisation's time zone."""
    return ZoneInfo(organisation().zone)


def calendar() -> Calendar:
    """How the organisation counts and writes days."""
    settings = organisation()
    order: Any = settings.day_order
    return Calendar(settings.first_weekday, settings.first_month, order)
