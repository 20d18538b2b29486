"""What the installation does for itself every day: what is over and of no use to anybody goes."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.contrib.sessions.models import Session
from django.utils import timezone
from django_tasks import task
from django_tasks_db.models import DBTaskResult

from stepladder import clock
from stepladder.accounts.models import SignInLink, Visit, WrongGuesses
from stepladder.queue.models import Work
from stepladder.web.models import SentForm

__all__ = ["prune", "words"]

# A form is sent again by a reload within hours; a task's end is looked at for days; a visit lasts half a day.
DAY = timedelta(days=1)
KEPT_FORMS, KEPT_RESULTS, KEPT_VISITS, KEPT_LINKS = 7 * DAY, 14 * DAY, 2 * DAY, 90 * DAY


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    return "clearing away what is over"


@task()
def prune() -> None:
    """Old sign-ins, forms, results of tasks, and links that no longer work: each by the clock it was written by."""
    now = timezone.now()
    Session.objects.filter(expire_date__lt=now).delete()
    SentForm.objects.filter(at__lt=now - KEPT_FORMS).delete()
    DBTaskResult.objects.successful().filter(finished_at__lt=now - KEPT_RESULTS).delete()
    now = clock.wall()
    Work.objects.filter(ended_at__lt=now - KEPT_RESULTS).delete()
    Visit.objects.filter(begun_at__lt=now - KEPT_VISITS).delete()
    WrongGuesses.objects.filter(last_at__lt=now - KEPT_VISITS).delete()
    SignInLink.objects.filter(expires_at__lt=now - KEPT_LINKS).delete()
