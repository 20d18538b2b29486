"""How much room what was derived takes: beyond its quota, what nobody opened for longest is dropped, and made anew when somebody does.

Dropped are pictures of pages and reading copies. What a module is recognised by stays, and so do captions, which were given; its words
are in the database, where they are found.
"""

from __future__ import annotations

import logging
from datetime import timedelta

from django.db import transaction
from django.db.models import Sum
from django_tasks import task

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.journal.actions import Machine, Named, record
from stepladder.library import storage
from stepladder.library.deriving import STAYS, count_derived, derive_anew
from stepladder.library.errors import LibraryError
from stepladder.library.models import Derived, ModuleVersion
from stepladder.queue.actions import Queue, later

__all__ = ["ask_anew", "keep_within_quota", "make_anew", "open_derived"]

logger = logging.getLogger(__name__)
BY = Machine("Daily run")
MB = 1024**2
# So many that were not counted yet are counted a run: what was derived before there was a quota.
COUNTED_A_RUN = 5000
# Who waits asks again after so long: the worker may have been stopped.
ASKED_AGAIN = timedelta(minutes=5)


@task()
def keep_within_quota() -> None:
    """The daily run: drop what was opened longest ago until the rest is within the organisation's quota.

    Nothing of today or the day before.
    """
    uncounted = ModuleVersion.objects.filter(derived=None, original__isnull=False)
    for version in uncounted.order_by("-pk")[:COUNTED_A_RUN]:
        count_derived(version)
    quota = organisation().derived_quota_mb
    if quota is None:
        return
    there = Derived.objects.filter(is_dropped=False, size__gt=0, version__original__isnull=False)
    over = (there.aggregate(all=Sum("size"))["all"] or 0) - quota * MB
    dropped = freed = 0
    # Whoever opened it last night may be reading still.
    idle = there.filter(used_on__lt=clock.today() - timedelta(days=1))
    for one in idle.select_related("version").order_by("used_on", "pk").iterator():
        if freed >= over:
            break
        _drop(one)
        dropped, freed = dropped + 1, freed + one.size
    if dropped:
        with transaction.atomic():
            data = {"count": dropped, "freed": f"{freed / MB:.1f} MB"}
            record("drop_derived", by=BY, about=Named("organisation", "", organisation().name), data=data)


def _drop(one: Derived) -> None:
    # First it is said: whoever opens it meanwhile waits for what is made anew, and meets no page without its picture.
    Derived.objects.filter(pk=one.pk).update(is_dropped=True, asked_at=None, trouble="")
    for path in storage.derived_folder(one.version).iterdir():
        if path.name not in STAYS:
            path.unlink(missing_ok=True)


def open_derived(version: ModuleVersion) -> Derived | None:
    """What of a version has to be made anew before its pages can be shown; None where they are there. Counts as used today."""
    found = Derived.objects.filter(version=version).first()
    if found is None:
        return None
    if found.used_on < clock.today():
        Derived.objects.filter(pk=found.pk).update(used_on=clock.today())
    return found if found.is_dropped else None


def ask_anew(found: Derived) -> None:
    """Have it made anew, unless that was asked for a moment ago."""
    now = clock.now()
    if found.asked_at is not None and found.asked_at > now - ASKED_AGAIN:
        return
    with transaction.atomic():
        Derived.objects.filter(pk=found.pk).update(asked_at=now)
        later(make_anew, queue=Queue.NOW, version_id=found.version_id)


@task()
def make_anew(version_id: int) -> None:
    """Make what was dropped of a version anew from its original, or say why that was not possible."""
    version = ModuleVersion.objects.select_related("original", "module").get(pk=version_id)
    if not Derived.objects.filter(version=version, is_dropped=True).exists():
        return
    try:
        derive_anew(version)
    except Exception as error:
        # Whoever waits for its pages is told, whatever it was.
        logger.exception("Version %s of “%s” was not made anew.", version.number, version.module)
        said = (
            str(error)
            if isinstance(error, LibraryError)
            else f"Something was not as expected ({type(error).__name__})."
        )
        Derived.objects.filter(version=version).update(trouble=said[:400])
