"""What learning says and does about the release of a course."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from django.db.models import Exists, OuterRef, Q
from django.http import HttpRequest
from django.utils.translation import ngettext

from stepladder import clock, events
from stepladder.core.sequence import Effect, release_effect
from stepladder.courses.models import Course, Edition
from stepladder.journal.actions import Named
from stepladder.learning.actions import move_places, move_to_edition
from stepladder.learning.models import Completion, Enrolment, StepDone, ValiditySpan
from stepladder.learning.validity import completed_by, refresh
from stepladder.people.models import Person
from stepladder.queue.actions import AT_ONCE, in_pieces
from stepladder.web.margin import Panel
from stepladder.web.templatetags.web import day

__all__ = ["effect_of_release", "needed_people", "on_release", "on_terms", "refresh_spans", "touched_panel"]


def effect_of_release(proposal: events.EditionProposed) -> list[events.EffectLine]:
    """How many people a release touches, by case."""
    counts: dict[Effect, int] = {}
    people: set[int] = set()
    is_open = Enrolment.objects.filter(
        course=proposal.course, completed_at__isnull=True, closed_on__isnull=True
    ).values_list("person_id", "begun_at")
    covered = set(covered_people(proposal.course))
    for person, begun_at in is_open:
        people.add(person)
        case = _case(proposal, begun=begun_at is not None, covered=person in covered)
        counts[case] = counts.get(case, 0) + 1
    for _person in covered - people:
        case = _case(proposal, begun=False, covered=True)
        counts[case] = counts.get(case, 0) + 1
    return [events.EffectLine(_sentence(case, n, proposal.retake_by), n) for case in Effect if (n := counts.get(case))]


def needed_people(proposal: events.PeopleWithdrawn) -> list[events.EffectLine]:
    """Whoever has begun or completed something cannot never have been here."""
    begun = Q(enrolments__begun_at__isnull=False) | Q(completions__revoked_on__isnull=True, completions__isnull=False)
    people = Person.objects.filter(begun, pk__in=proposal.people).distinct().order_by("family_name", "given_name")
    return [
        events.EffectLine(f"{person.name} has begun or completed a course since", 1, refuses=True)
        for person in people[:10]
    ]


def _sentence(case: Effect, count: int, retake_by: date | None) -> str:
    texts = {
        Effect.GETS_NEW: ngettext("person gets the new edition", "people get the new edition", count),
        Effect.GOES_ON: ngettext("person goes on in the new edition", "people go on in the new edition", count),
        Effect.FINISHES_OLD: ngettext("person finishes on the old edition", "people finish on the old edition", count),
        Effect.STAYS_DONE: ngettext(
            "person who has it keeps it until it expires", "people who have it keep it until it expires", count
        ),
        Effect.RETAKES: ngettext(
            "person who has it must take it again by %(day)s", "people who have it must take it again by %(day)s", count
        ),
    }
    return texts[case] % {"day": day(retake_by)}


def _case(proposal: events.EditionProposed, *, begun: bool, covered: bool) -> Effect:
    size = "small" if proposal.size == "small" else "large"
    return release_effect(begun=begun, covered=covered, size=size, retake_by=proposal.retake_by)  # type: ignore[arg-type]


def covered_people(course: int) -> list[int]:
    """Who holds a valid completion today."""
    today = clock.today()
    later = ValiditySpan.objects.filter(
        person=OuterRef("person"), course=course, first__gt=OuterRef("first"), first__lte=today, known_to__gt=today
    )
    spans = ValiditySpan.objects.filter(
        course=course, first__lte=today, valid_until__gte=today, known_from__lte=today, known_to__gt=today
    )
    return list(spans.filter(~Exists(later)).values_list("person_id", flat=True).distinct())


def on_release(event: events.CourseReleased, act: events.Act) -> None:
    """Places under way get the new edition; for a retake, what counts until when is derived anew."""
    about = _about(event.course)
    places = list(move_places(event.edition).order_by("pk").values_list("pk", flat=True))
    if len(places) <= AT_ONCE:
        move_to_edition(places, act, edition=event.edition, size=event.size)
    else:
        in_pieces("move to edition", ids=places, act=act, about=about, edition=event.edition, size=event.size)
    if event.retake_by:
        _refresh_spans(event.course, act)


def on_terms(event: events.CourseTermsChanged, act: events.Act) -> None:
    """How long everybody's completions count is derived anew."""
    _refresh_spans(event.course, act)


def _refresh_spans(course: int, act: events.Act) -> None:
    people = completed_by([course])
    if len(people) <= AT_ONCE:
        refresh_spans(people, act, course=course)
    else:
        in_pieces("spans", ids=people, act=act, about=_about(course), course=course)


def refresh_spans(people: Sequence[int], act: events.Act, *, course: int) -> None:
    """From when to when these people hold a course, and what it counts for."""
    moved = refresh(people=people, courses=[course])
    if moved:
        events.announce(events.SpansChanged(tuple(sorted(moved)), (course,)), act)


def _about(course: int) -> Named:
    row = Course.objects.get(pk=course)
    return Named("course", row.public_id, row.title)


def touched_panel(request: HttpRequest, course: Course) -> Panel | None:
    """Who is in a course now."""
    is_open = Enrolment.objects.filter(course=course, completed_at__isnull=True, closed_on__isnull=True)
    begun = is_open.filter(begun_at__isnull=False)
    old = begun.exclude(edition__state=Edition.State.RELEASED)
    context = {
        "open": is_open.count(),
        "begun": begun.count(),
        "old": old.count(),
        "completions": Completion.objects.known_now().filter(course=course).count(),
        "covered": len(covered_people(course.pk)),
        "steps_done": StepDone.objects.known_now().filter(enrolment__in=begun).count(),
    }
    return Panel("Who it touches", "learning/touched.html", context)
