"""Reports in the index of Records."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.records.index_groups import IndexGroup, IndexLink
from stepladder.reports.models import KeptReport
from stepladder.reports.ready import READY, ReadyReport

__all__ = ["address_of", "kept_group", "ready_group"]

# So many stand in the index; the others are found where all are.
FIRST = 5


def address_of(report: ReadyReport) -> str:
    return reverse(report.address) if report.address else reverse("reports:ready", args=[report.name])


def ready_group(request: HttpRequest) -> IndexGroup | None:
    """The first of the ready reports, and the one that is looked at."""
    if not policy.may(request.user, "open records"):
        return None
    links = [IndexLink(r.title, url, request.path == url) for r in READY for url in (address_of(r),)]
    shown = [link for n, link in enumerate(links) if n < FIRST or link.is_here]
    return IndexGroup("Reports", shown, IndexLink(f"All {len(READY)} reports…", reverse("reports:all")))


def kept_group(request: HttpRequest) -> IndexGroup | None:
    """The reports that somebody keeps, or is sent."""
    if not policy.may(request.user, "open records"):
        return None
    rows = policy.visible(request.user, "read reports", KeptReport.objects.order_by("name", "pk"))
    links = [
        IndexLink(name, url, request.path == url)
        for public_id, name in rows.values_list("public_id", "name")
        for url in (reverse("reports:kept", args=[public_id]),)
    ]
    return IndexGroup("Kept", links, IndexLink("A new report…", reverse("reports:new")))
