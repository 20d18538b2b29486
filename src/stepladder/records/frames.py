"""What pages of Records show around their sheet."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest

from stepladder import clock
from stepladder.people.permissions import people_seen
from stepladder.records.queries import late_count

__all__ = ["plain_frame"]


def plain_frame(request: HttpRequest) -> dict[str, Any]:
    """The index with how many are late today, and no legend: for pages that draw no statuses."""
    return {"late": late_count(clock.today(), people_seen(request.user, "open records")), "without_legend": True}
