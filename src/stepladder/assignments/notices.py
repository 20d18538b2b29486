"""What people are told of what is asked of them."""

from __future__ import annotations

from collections.abc import Sequence

from django.urls import reverse

from stepladder.assignments.queries import RequirementStatus
from stepladder.core.days import FOREVER
from stepladder.learning.models import Enrolment
from stepladder.notices.actions import Message, tell
from stepladder.notices.kinds import NoticeKind, in_words
from stepladder.web.templatetags.web import day as written

__all__ = ["KINDS", "remind_of", "tell_of"]

_TEXT = "Hello {given_name},\n\n{subject}.\n{reasons}"
_COURSE = {
    "course": "the course’s title",
    "reasons": "each assignment that asks for it, with its message",
}
_BY = {"by": "“ by ” with the due day; nothing where there is none"}
_ASKED = NoticeKind("assigned", "A course is asked for", "“{course}” is to be done{by}", _TEXT, _COURSE | _BY)
_SUGGESTED = NoticeKind("suggested", "A course is suggested", "“{course}” is suggested to you", _TEXT, _COURSE)
_RENEWAL = NoticeKind(
    "renewal",
    "A course is to be renewed",
    "Renew “{course}”: valid until {valid_until}",
    _TEXT,
    _COURSE | {"valid_until": "the last day that it is valid"},
)
_PATH = NoticeKind(
    "path",
    "A path is asked for",
    "“{path}” is before you: {count}{first}",
    "Hello {given_name},\n\n“{path}”, stage by stage:\n{courses}\n\n{reasons}",
    {
        "path": "the path’s title",
        "count": "how many courses",
        "first": "“, the first by ” with its due day; nothing where there is none",
        "courses": "the courses, one a line",
        "reasons": "the assignment, with its message",
    },
)
_REMINDER = NoticeKind(
    "reminder",
    "A reminder",
    "Reminder: {what}",
    "Hello {given_name},\n\n{what}.\n{reasons}",
    {"what": "what was said when it was asked for", "reasons": _COURSE["reasons"]},
)
KINDS = (_ASKED, _SUGGESTED, _RENEWAL, _PATH, _REMINDER)


def _of_course(enrolment: Enrolment, required: RequirementStatus) -> tuple[NoticeKind, Message]:
    """What somebody is told when a course comes to be before them."""
    requirement = required.requirement
    fields = {
        "course": enrolment.course.title,
        "reasons": "\n".join(f"{r.assignment.name}: {r.assignment.message}".rstrip(": ") for r in required.reasons),
        "by": f" by {written(requirement.due)}" if requirement.due and requirement.due != FOREVER else "",
    }
    kind = _ASKED if requirement.mandatory else _SUGGESTED
    if requirement.valid_until is not None:
        kind, fields["valid_until"] = _RENEWAL, written(requirement.valid_until)
    return kind, Message(enrolment.person, reverse("playing:course", args=[enrolment.public_id]), fields)


def remind_of(places: Sequence[tuple[Enrolment, RequirementStatus]]) -> list[str]:
    """Tell people again what is before them; the public ids of those who were told, one for each notice."""
    messages = []
    for enrolment, required in places:
        kind, first = _of_course(enrolment, required)
        what = in_words(kind.subject, first.fields)
        messages.append(Message(first.person, first.path, {"what": what, "reasons": first.fields["reasons"]}))
    tell(_REMINDER.name, messages)
    return [message.person.public_id for message in messages]


def tell_of(places: Sequence[tuple[Enrolment, RequirementStatus]]) -> None:
    """Tell people of new places: one notice a course; of the courses of a path one together, by the first due."""
    climbs: dict[tuple[int, int], list[tuple[Enrolment, RequirementStatus]]] = {}
    by_kind: dict[str, list[Message]] = {}
    for enrolment, required in places:
        paths = {reason.assignment_id for reason in required.reasons if reason.assignment.path_id}
        if len(paths) == len({reason.assignment_id for reason in required.reasons}) == 1:
            climbs.setdefault((enrolment.person_id, paths.pop()), []).append((enrolment, required))
        else:
            kind, message = _of_course(enrolment, required)
            by_kind.setdefault(kind.name, []).append(message)
    by_kind[_PATH.name] = [_of_path(courses) for courses in climbs.values()]
    for name, messages in by_kind.items():
        if messages:
            tell(name, messages)


def _of_path(courses: list[tuple[Enrolment, RequirementStatus]]) -> Message:
    courses.sort(key=lambda one: (one[1].requirement.due or FOREVER, one[0].pk))
    enrolment, required = courses[0]
    assignment, due = required.reasons[0].assignment, required.requirement.due
    fields = {
        "path": assignment.title,
        "count": f"{len(courses)} courses" if len(courses) > 1 else "1 course",
        "first": f", the first by {written(due)}" if due and due != FOREVER else "",
        "courses": "\n".join(f"- {place.course.title}" for place, _ in courses),
        "reasons": f"{assignment.name}: {assignment.message}".rstrip(": "),
    }
    return Message(enrolment.person, reverse("playing:course", args=[enrolment.public_id]), fields)
