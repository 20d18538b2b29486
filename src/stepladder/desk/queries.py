"""What needs the administrator now: each app hands in its lines; here are those of the apps below."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.assignments.models import Assignment
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, CourseState, Edition
from stepladder.library.models import Module, Upload
from stepladder.notices.models import Notice
from stepladder.people.models import Person
from stepladder.records.queries import Filters, late_count, standing_rows

__all__ = ["DeskLine", "desk_lines", "first_steps"]

# What the demo brought in is not what somebody did here.
LOADER = "Demo loader"


@dataclass(frozen=True)
class DeskLine:
    """One thing that waits: how many, what, and where it is done."""

    count: int
    text: str
    url: str
    is_urgent: bool = False


def desk_lines(account: Any) -> list[DeskLine]:
    """What needs somebody now, the urgent first; nothing that waits for nobody."""
    today = clock.today()
    lines = [_late(today), _running_out(today), _refused_uploads(account), _drafts(account), _not_sent()]
    return sorted((line for line in lines if line.count), key=lambda line: not line.is_urgent)


def _late(today: date) -> DeskLine:
    count = late_count(today)
    text = "person is late with something mandatory" if count == 1 else "people are late with something mandatory"
    return DeskLine(count, text, reverse("records:late"), True)


def _running_out(today: date) -> DeskLine:
    covered = frozenset({Status.CURRENT, Status.RENEW})
    filters = Filters(day=today, known_on=today, statuses=covered, expires_to=today + timedelta(days=30))
    count = len(standing_rows(filters, sort="valid"))
    address = reverse("records:standing") + "?status=current&status=renew&expires_to=today%2B30d&sort=valid"
    return DeskLine(count, f"completion{'s run' if count != 1 else ' runs'} out within 30 days", address)


def _not_sent() -> DeskLine:
    count = Notice.objects.exclude(trouble="").filter(sent_at__isnull=True).count()
    return DeskLine(count, f"notice{'s' if count != 1 else ''} could not be sent", reverse("desk:desk"), True)


def _refused_uploads(account: Any) -> DeskLine:
    refused = Upload.objects.filter(state=Upload.State.REFUSED, is_dismissed=False).select_related("binder")
    first = refused.first()
    count = refused.count()
    url = reverse("library:binder", args=[first.binder.public_id]) if first else ""
    return DeskLine(count, f"upload{'s' if count != 1 else ''} could not be used, and say why", url, True)


def _drafts(account: Any) -> DeskLine:
    drafts = policy.visible(account, "see courses", Course.objects.all())
    count = drafts.filter(editions__state=Edition.State.DRAFT).count()
    text = f"course draft{'s' if count != 1 else ''} not released yet"
    return DeskLine(count, text, reverse("courses:list") + "?state=draft")


@dataclass(frozen=True)
class FirstStep:
    """A line of the first ten minutes: what to do, where, and whether it has been done here."""

    text: str
    url: str
    done: bool


def first_steps() -> list[FirstStep]:
    """The first ten minutes of a new installation."""
    own = Module.objects.exclude(changed_by=LOADER).exists()
    released = Course.objects.filter(state=CourseState.RELEASED).exclude(editions__changed_by=LOADER).exists()
    assigned = Assignment.objects.exclude(made_by=LOADER).exists()
    moved = Person.objects.exclude(changed_by=LOADER).exists()
    return [
        FirstStep("Drop a package, a film or a PDF onto a binder", reverse("library:home"), own),
        FirstStep("Make a course of it and release it", reverse("courses:new"), released),
        FirstStep("See who is there, and where", reverse("people:list"), moved),
        FirstStep("Assign the course, and see who it reaches before you save", reverse("assignments:new"), assigned),
        FirstStep("See who is covered on any day", reverse("records:board"), False),
    ]
