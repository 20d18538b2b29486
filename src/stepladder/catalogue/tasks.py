"""What the queue does for the catalogue."""

from __future__ import annotations

from django.db import transaction
from django_tasks import task

from stepladder.catalogue.actions.entering import ask_further
from stepladder.catalogue.circles import waiting_requests

__all__ = ["keep_requests_asked"]


@task()
def keep_requests_asked() -> None:
    """The daily run: whoever has to be asked by now is asked, request by request; run twice, nobody is asked twice."""
    for request in waiting_requests():
        with transaction.atomic():
            request.refresh_from_db(fields=["state"])
            ask_further(request=request)
