"""What people are told of the courses they are in."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import reverse

from stepladder import events
from stepladder.courses.models import Course
from stepladder.learning.models import Enrolment
from stepladder.notices.actions import Message, tell
from stepladder.notices.kinds import NoticeKind
from stepladder.queue.actions import AT_ONCE, in_pieces

__all__ = ["EDITION", "on_release", "tell_of_edition"]

EDITION = NoticeKind(
    "new edition",
    "A course has a new edition",
    "“{course}” has a new edition",
    "Hello {given_name},\n\n“{course}”, which is before you, has a new edition.\n\n{words}",
    {"course": "the course’s title", "words": "what whoever released it says with it"},
    needs_sign_in=True,
)


def on_release(event: events.CourseReleased, act: events.Act) -> None:
    """Whoever is under way, on whichever edition, is told what was said with the release."""
    if not event.note:
        return
    under_way = Enrolment.objects.filter(
        course=event.course, completed_at__isnull=True, closed_on__isnull=True, begun_at__isnull=False
    )
    people = sorted(set(under_way.values_list("person_id", flat=True)))
    if len(people) <= AT_ONCE:
        tell_of_edition(people, act, course=event.course, note=event.note)
    else:
        in_pieces("note of a release", ids=people, act=act, course=event.course, note=event.note)


def tell_of_edition(people: Sequence[int], act: events.Act, *, course: int, note: str) -> None:
    """A piece of them, each with the way to their place."""
    title = Course.objects.get(pk=course).title
    places = Enrolment.objects.filter(
        course=course, person__in=people, completed_at__isnull=True, closed_on__isnull=True
    ).select_related("person")
    fields = {"course": title, "words": note}
    tell(
        EDITION.name,
        [Message(place.person, reverse("playing:course", args=[place.public_id]), fields) for place in places],
    )
