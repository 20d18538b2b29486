"""What a pack holds for people to read: rosters, scores, the rules in force, certificates and papers."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date, datetime
from pathlib import PurePosixPath
from typing import Any

from django.conf import settings
from django.urls import reverse

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.models import AssignmentRule
from stepladder.assignments.queries import reach_sentence
from stepladder.courses.models import Course, CourseTerms
from stepladder.evidence.gathering import Proof, in_pieces_of
from stepladder.learning.models import Completion, StepDone, ValiditySpan
from stepladder.learning.queries import course_titles
from stepladder.outside.models import OutsideTraining
from stepladder.people.models import Person
from stepladder.records.certificates import CertificatePage, certificates_pdf
from stepladder.timetable.models import Booking
from stepladder.web.templatetags.web import day as written

__all__ = [
    "DOCUMENT_HEADS",
    "ROSTER_HEADS",
    "SCORE_HEADS",
    "certificates_of",
    "documents_of",
    "rosters",
    "rules_text",
    "scores",
]

ROSTER_HEADS = ("session", "begins", "ends", "place", "instructors", "number", "name", "came to")
SCORE_HEADS = ("number", "name", "course", "step", "day", "score", "revoked")
DOCUMENT_HEADS = ("file", "number", "name", "what", "day", "given by", "confirmed by", "stored file")


def rosters(proof: Proof) -> Iterator[list[tuple[Any, ...]]]:
    """Who of them sat in which session, and what came of it."""
    for some in in_pieces_of(proof.of(Booking)):
        rows = Booking.objects.filter(pk__in=some, revoked_on__isnull=True).select_related(
            "person", "session__module", "session__room__venue"
        )
        lines = []
        for row in rows.prefetch_related("session__meetings", "session__instructors").order_by("session", "pk"):
            meetings = list(row.session.meetings.all())
            lines.append(
                (
                    row.session.module.title,
                    _local(min((m.starts_at for m in meetings), default=None)),
                    _local(max((m.ends_at for m in meetings), default=None)),
                    row.session.place,
                    ", ".join(person.name for person in row.session.instructors.all()),
                    row.person.employee_number,
                    row.person.name,
                    row.get_state_display(),
                )
            )
        yield lines


def _local(at: datetime | None) -> str:
    """An instant as the organisation's clocks show it, with what they differ from UTC by."""
    return at.astimezone(clock.zone()).isoformat(timespec="minutes") if at else ""


def scores(proof: Proof) -> Iterator[list[tuple[Any, ...]]]:
    """What of each course they did on which day, with its score where it has one."""
    for some in in_pieces_of(proof.of(StepDone)):
        rows = StepDone.objects.filter(pk__in=some).select_related("enrolment__person", "enrolment__edition", "module")
        yield [
            (
                row.enrolment.person.employee_number,
                row.enrolment.person.name,
                row.enrolment.edition.title,
                row.module.title,
                row.day,
                None if row.score is None else f"{float(row.score):.0%}",
                row.revoked_on,
            )
            for row in rows.order_by("enrolment__person", "day", "pk")
        ]


def rules_text(proof: Proof, courses: Sequence[Course], *, day: date, known_on: date) -> str:
    """The rules in force on the day, as known on the other: how long each course counts, and what asked for it."""
    lines = [f"Rules in force on {written(day)}, as known on {written(known_on)}.", ""]
    terms = CourseTerms.objects.known_on(known_on).filter(course__in=[course.pk for course in courses])
    by_course: dict[int, CourseTerms] = {}
    for row in terms.order_by("-from_day"):
        if row.from_day <= day or row.course_id not in by_course:
            by_course.setdefault(row.course_id, row)
    for course in courses:
        lines.append(f"{course.title}: {_terms_in_words(by_course.get(course.pk))}")
    lines += ["", "What asked for them:", ""]
    titles = course_titles()
    rules = AssignmentRule.objects.known_on(known_on).filter(pk__in=proof.of(AssignmentRule))
    for rule in rules.select_related("assignment__course", "assignment__path").order_by("pk"):
        what = rule.assignment.course or rule.assignment.path
        until = f" until {written(rule.end)}" if rule.end else ""
        lines.append(
            f"“{rule.assignment.name}”: {'mandatory' if rule.is_mandatory else 'suggested'}, “{what}”, for "
            f"{reach_sentence(rule, titles) or 'everyone'}; from {written(rule.start)}{until}."
        )
    return "\n".join(lines) + "\n"


def _terms_in_words(terms: CourseTerms | None) -> str:
    if terms is None or not (terms.months or terms.days or terms.is_calendar_year):
        return "counts for ever."
    lasts = [f"{terms.months} months" if terms.months else "", f"{terms.days} days" if terms.days else ""]
    long = "to the end of the calendar year" if terms.is_calendar_year else " and ".join(part for part in lasts if part)
    return f"counts {long}; may be renewed {terms.window_days} days before; grace {terms.grace_days} days."


def certificates_of(
    people: Sequence[int], courses: Sequence[Course], *, day: date, known_on: date
) -> Iterator[tuple[str, bytes]]:
    """(name of the file, PDF): the certificates of the completions that speak on the day, one file a person."""
    name = organisation().name
    for some in in_pieces_of(people):
        spans = ValiditySpan.objects.filter(
            person__in=some,
            course__in=[course.pk for course in courses],
            first__lte=day,
            known_from__lte=known_on,
            known_to__gt=known_on,
        )
        # The later ones speak.
        speaking = {(row.person_id, row.course_id): row for row in spans.order_by("first")}
        found = Completion.objects.select_related("person", "edition").in_bulk(
            [row.completion_key for row in speaking.values()]
        )
        pages: dict[Person, list[CertificatePage]] = {}
        for row in speaking.values():
            completion = found.get(row.completion_key)
            if completion is not None and row.valid_until >= day:
                url = settings.PUBLIC_ADDRESS + reverse("records:check", args=[completion.number])
                pages.setdefault(completion.person, []).append(CertificatePage(completion, row.valid_until, url))
        for person, of_person in sorted(pages.items(), key=lambda item: item[0].pk):
            yield (
                f"certificates/{plain_name(person.employee_number)}.pdf",
                certificates_pdf(of_person, organisation=name),
            )


def documents_of(proof: Proof) -> Iterator[tuple[str, OutsideTraining]]:
    """(name of the file, training) for each paper that proves training from outside, in order."""
    for some in in_pieces_of(proof.of(OutsideTraining)):
        rows = OutsideTraining.objects.filter(pk__in=some, document__isnull=False).select_related("person", "document")
        for row in rows.order_by("pk"):
            assert row.document is not None, "as asked"
            suffix = plain_name(PurePosixPath(row.document_name).suffix)
            yield f"documents/{plain_name(row.person.employee_number)}-{row.public_id}{suffix}", row


def plain_name(text: str) -> str:
    """A text as a part of a file's name on any system."""
    return "".join(letter if letter.isalnum() or letter in "-." else "_" for letter in text)[:60]
