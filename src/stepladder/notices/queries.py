"""Reading what was told, and what still is to be."""

from __future__ import annotations

from datetime import timedelta

from django.db.models import Q, QuerySet

from stepladder import clock
from stepladder.notices.models import Notice

__all__ = ["unsent"]

# What waits longer than this is no longer on its way.
WAITS = timedelta(hours=1)


def unsent() -> QuerySet[Notice]:
    """Notices by e-mail that were refused, or that wait too long, the newest first."""
    waiting = Notice.objects.filter(channel=Notice.Channel.MAIL, sent_at__isnull=True)
    stuck = ~Q(trouble="") | Q(made_at__lt=clock.now() - WAITS)
    return waiting.filter(stuck).select_related("person").order_by("-made_at", "-pk")
