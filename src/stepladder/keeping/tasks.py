"""What is kept no longer goes, one person after the other, by the queue."""

from __future__ import annotations

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.journal.actions import Machine
from stepladder.keeping.actions import entries_of, keep_number_only
from stepladder.keeping.errors import KeepingError
from stepladder.keeping.who import due
from stepladder.people.models import Person
from stepladder.queue.actions import Queue, later

__all__ = ["BY", "hand_over_due", "shorten"]

BY = Machine("Keeping")


@task()
def hand_over_due() -> None:
    """Every day: who left so long ago that only their number is kept from now on."""
    years = organisation().keep_years
    if years is None:
        return
    for key in due(clock.today(), years).values_list("pk", flat=True):
        with transaction.atomic():
            later(shorten, queue=Queue.BULK, person=key)


@task()
def shorten(person: int) -> None:
    """Keep only the number of somebody, where it is still due: years may have been added, or the last day corrected."""
    years = organisation().keep_years
    found = due(clock.today(), years).select_related("account").filter(pk=person).first() if years is not None else None
    if found is None:
        return
    try:
        keep_number_only(person=found, entries=entries_of(found), by=BY)
    except KeepingError:
        # Somebody else was quicker.
        if not Person.objects.filter(pk=person, shortened_on__isnull=False).exists():
            raise
