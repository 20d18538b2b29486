"""What people are told of what is asked of them: each person in one message, whatever number of things it is."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from django.urls import reverse

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.assignments.paths import Climb, climbs_ahead
from stepladder.assignments.queries import RequirementStatus, asked_of
from stepladder.core.days import FOREVER
from stepladder.core.paths import DONE
from stepladder.core.requirements import COVERED, Requirement, Status
from stepladder.learning.models import Enrolment
from stepladder.learning.queries import course_titles
from stepladder.notices.actions import Message, tell
from stepladder.notices.kinds import NoticeKind
from stepladder.people.models import Person
from stepladder.people.queries import first_days
from stepladder.web.frame import own_pages
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import weekday

__all__ = ["KINDS", "Place", "asked_in_words", "lines_of", "remind_of", "stands_in_words", "tell_of"]

Place = tuple[Enrolment, RequirementStatus]
# A message lists so many things; the rest stand where its link leads.
LISTED = 12

_TEXT = "Hello {given_name},\n\n{subject}.\n{reasons}"
_REASONS = {"reasons": "each assignment that asks for it, with its message"}
_COURSE = {"course": "the course’s title"} | _REASONS
_BY = {"by": "“ by ” with the due day; nothing where there is none"}
# Their links lead into the application: who has no sign-in yet reads what is asked in the invitation to it.
_ASKED = NoticeKind(
    "assigned", "A course is asked for", "“{course}” is to be done{by}", _TEXT, _COURSE | _BY, needs_sign_in=True
)
_SUGGESTED = NoticeKind(
    "suggested", "A course is suggested", "“{course}” is suggested to you", _TEXT, _COURSE, needs_sign_in=True
)
_RENEWAL = NoticeKind(
    "renewal",
    "A course is to be renewed",
    "Renew “{course}”: valid until {valid_until}",
    _TEXT,
    _COURSE | {"valid_until": "the last day that it is valid"},
    needs_sign_in=True,
)
_PATH = NoticeKind(
    "path",
    "A path is asked for",
    "“{path}” is before you: {count}{first}",
    "Hello {given_name},\n\n“{path}”, stage by stage:\n{stages}\n\n{reasons}",
    {
        "path": "the path’s title",
        "count": "how many courses of it are to be done",
        "first": "“, the first by ” with its due day; nothing where there is none",
        "stages": "its stages, one a line, each with its day and its courses",
        "reasons": "the assignment, with its message",
    },
    needs_sign_in=True,
)
_SEVERAL = NoticeKind(
    "several",
    "Several things are asked for at once",
    "{count} things are before you{first}",
    "Hello {given_name},\n\nthis is before you:\n\n{list}",
    {
        "count": "how many courses and paths",
        "first": "“, the first by ” with its due day; nothing where there is none",
        "list": "the courses and paths, the first due first, each with its day and its reasons",
    },
    needs_sign_in=True,
)
_REMINDER = NoticeKind(
    "reminder",
    "A reminder",
    "Reminder: {what}",
    "Hello {given_name},\n\n{what}{stop}\n{reasons}",
    {
        "what": "how they stand with the course; of several, how many wait",
        "stop": "the sign that ends the sentence",
        "reasons": "each assignment that asks for it, with its message; of several, the courses one a line",
    },
)
KINDS = (_ASKED, _SUGGESTED, _RENEWAL, _PATH, _SEVERAL, _REMINDER)


@dataclass(frozen=True)
class _Thing:
    """A course or path that is before somebody: as a notice of its own, and as lines among others."""

    kind: NoticeKind
    message: Message
    due: date | None
    lines: str


def tell_of(places: Sequence[Place], *, day: date) -> None:
    """Tell people of new places, each in one message: courses by their due day, and a path that begins as a whole."""
    by_kind: dict[str, list[Message]] = {}
    for things in _by_person(places, day).values():
        kind, message = (things[0].kind, things[0].message) if len(things) == 1 else _together(things)
        by_kind.setdefault(kind.name, []).append(message)
    for name, messages in by_kind.items():
        tell(name, messages)


def lines_of(places: Sequence[Place], *, day: date) -> dict[int, list[str]]:
    """Person → their new places as lines among others, the first due first."""
    return {person: [thing.lines for thing in things] for person, things in _by_person(places, day).items()}


def _by_person(places: Sequence[Place], day: date) -> dict[int, list[_Thing]]:
    by_person: dict[int, list[Place]] = {}
    for place in places:
        by_person.setdefault(place[0].person_id, []).append(place)
    begun: dict[int, list[Climb]] = {}
    for climb in climbs_ahead(sorted(by_person), day):
        begun.setdefault(climb.person, []).append(climb)
    titles = course_titles() if begun else {}
    return {person: _things(theirs, begun.get(person, []), titles, day) for person, theirs in by_person.items()}


def _things(places: Sequence[Place], climbing: Iterable[Climb], titles: dict[int, str], day: date) -> list[_Thing]:
    """What one person's new places come to, the first due first."""
    person, found, told = places[0][0].person, [], set[int]()
    for climb in climbing:
        asks = {reason.asked_by for reason in climb.reasons}
        new = {
            required.course
            for _, required in places
            if required.requirement.valid_until is None and any(r.asked_by in asks for r in required.reasons)
        }
        # On the way already, it was told when it began; a course that comes to it stands by itself.
        if new and any(reason.known_from == day or reason.first >= day for reason in climb.reasons):
            found.append(_of_path(person, climb, titles))
            told |= new
    found += [_of_course(*place) for place in places if place[1].course not in told]
    return sorted(found, key=lambda thing: thing.due or FOREVER)


def _of_course(enrolment: Enrolment, required: RequirementStatus) -> _Thing:
    requirement = required.requirement
    fields = {
        "course": enrolment.course.title,
        "reasons": _reasons(required),
        "by": f" by {written(requirement.due)}" if requirement.due and requirement.due != FOREVER else "",
    }
    kind = _ASKED if requirement.mandatory else _SUGGESTED
    if requirement.valid_until is not None:
        kind, fields["valid_until"] = _RENEWAL, written(requirement.valid_until)
    how = {
        _ASKED.name: f",{fields['by']}" if fields["by"] else "",
        _SUGGESTED.name: ", suggested",
        _RENEWAL.name: f", to renew: valid until {written(requirement.valid_until)}",
    }[kind.name]
    lines = "\n".join([f"- “{enrolment.course.title}”{how}", *_under(fields["reasons"])])
    message = Message(enrolment.person, reverse("playing:course", args=[enrolment.public_id]), fields)
    return _Thing(kind, message, requirement.valid_until or requirement.due, lines)


def _of_path(person: Person, climb: Climb, titles: dict[int, str]) -> _Thing:
    owed, due = climb.owed - climb.done, _first_due(climb)
    first = f", the first by {written(due)}" if due else ""
    stages = []
    for number, stage in enumerate(climb.stages, 1):
        by = f", by {written(stage.due)}" if stage.due and stage.due != FOREVER else ""
        courses = [f"{titles[key]}{' (done)' if r.status in DONE else ''}" for key, r in stage.courses]
        if stage.owed_electives:
            named = [f"{titles[key]}{' (done)' if done else ''}" for key, done in stage.electives]
            courses.append(f"{stage.owed_electives} of {len(named)} to choose ({', '.join(named)})")
        stages.append(f"{number}. {stage.stage.title}{by}: {', '.join(courses)}")
    reasons = "\n".join(f"{r.name}: {r.message}".rstrip(": ") for r in climb.reasons)
    fields = {
        "path": climb.edition.title,
        "count": f"{owed} courses" if owed != 1 else "1 course",
        "first": first,
        "stages": "\n".join(stages),
        "reasons": reasons,
    }
    lines = [f"- “{climb.edition.title}”, {fields['count']}{first}:", *(f"    {stage}" for stage in stages)]
    # To all of it: its first course may be one that waits for others.
    return _Thing(_PATH, Message(person, _first_page(), fields), due, "\n".join([*lines, *_under(reasons)]))


def _first_due(climb: Climb) -> date | None:
    days = [stage.due for stage in climb.stages if stage.due and stage.due != FOREVER]
    return min(days, default=None)


def _together(things: Sequence[_Thing]) -> tuple[NoticeKind, Message]:
    """Several things as one message."""
    due = next((thing.due for thing in things if thing.due and thing.due != FOREVER), None)
    fields = {
        "count": str(len(things)),
        "first": f", the first by {written(due)}" if due else "",
        "list": "\n".join(_at_most([thing.lines for thing in things])),
    }
    return _SEVERAL, Message(things[0].message.person, _first_page(), fields)


def remind_of(places: Sequence[Place], *, day: date) -> list[str]:
    """Tell people again what is before them, each in one message; the public ids of those who were told."""
    by_person: dict[int, list[Place]] = {}
    for place in places:
        by_person.setdefault(place[0].person_id, []).append(place)
    messages = []
    for theirs in by_person.values():
        (enrolment, required), *more = theirs
        if not more:
            path = reverse("playing:course", args=[enrolment.public_id])
            what = stands_in_words(enrolment.course.title, required.requirement, day)
            messages.append(Message(enrolment.person, path, {"what": what, "stop": ".", "reasons": _reasons(required)}))
            continue
        lines = [f"- {stands_in_words(one.course.title, asked.requirement, day)}" for one, asked in theirs]
        fields = {"what": f"{len(theirs)} courses wait for you", "stop": ":", "reasons": "\n".join(_at_most(lines))}
        messages.append(Message(enrolment.person, _first_page(), fields))
    tell(_REMINDER.name, messages)
    return [message.person.public_id for message in messages]


def asked_in_words(account: Account) -> str:
    """What is asked of the person of an account, or will be as of their first day: for their invitation. "" where nothing is."""
    person = Person.objects.filter(account=account).first()
    if person is None:
        return ""
    today = clock.today()
    first = first_days([person.pk], today).get(person.pk)
    asked = [row for row in asked_of([person.pk], today) if row.requirement.status not in {*COVERED, Status.WAIVED}]
    if not asked:
        return ""
    titles = course_titles()
    in_paths: set[tuple[int | None, int | None]] = set()
    things = []
    for climb in climbs_ahead([person.pk], today):
        if climb.done == climb.owed:
            continue
        thing = _of_path(person, climb, titles)
        things.append((thing.due or FOREVER, thing.lines))
        in_paths |= {r.asked_by for r in climb.reasons}
    for row in asked:
        # What only a path asks for stands in it.
        if all(reason.asked_by in in_paths for reason in row.reasons):
            continue
        due = row.requirement.due
        by = f", by {written(due)}" if due and due != FOREVER else ""
        things.append((due or FOREVER, "\n".join([f"- “{titles[row.course]}”{by}", *_under(_reasons(row))])))
    begins = f"From your first day, {weekday(first)}, this is asked of you" if first else "This is asked of you"
    return f"{begins}:\n\n" + "\n".join(_at_most([lines for _, lines in sorted(things)]))


def stands_in_words(title: str, requirement: Requirement, day: date) -> str:
    """How somebody stands with a course, as a reminder says it: a day that is past is said to be."""
    until, due = requirement.valid_until, requirement.due
    if requirement.status is Status.LAPSED:
        return f"“{title}” ran out on {written(until)}"
    if requirement.status is Status.IN_GRACE:
        return f"“{title}” ran out on {written(until)}, and is excused until {written(requirement.grace_until)}"
    if until is not None:
        return f"“{title}” is valid until {written(until)}"
    if due is None or due == FOREVER:
        return f"“{title}” is to be done"
    return f"“{title}” {'was' if due < day else 'is'} to be done by {written(due)}"


def _reasons(required: RequirementStatus) -> str:
    return "\n".join(f"{r.name}: {r.message}".rstrip(": ") for r in required.reasons)


def _under(reasons: str) -> list[str]:
    return [f"    {line}" for line in reasons.splitlines()]


def _at_most(lines: Sequence[str]) -> list[str]:
    more = len(lines) - LISTED
    return [*lines[:LISTED], *([f"and {more} more."] if more > 0 else [])]


def _first_page() -> str:
    """Where all that is before somebody stands."""
    return reverse(own_pages()[0].address)
