"""What needs the administrator now: each app hands in its lines; here are those of the apps below."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.urls import reverse
from django.utils.translation import ngettext

from stepladder import clock
from stepladder.accounts import policy
from stepladder.assignments.models import Assignment
from stepladder.catalogue.queries import to_decide
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, CourseState, Edition
from stepladder.journal.models import Entry
from stepladder.library.models import Binder, Module, Upload
from stepladder.library.queries import halted_uploads
from stepladder.messaging.queries import waiting_answers
from stepladder.notices.queries import unsent
from stepladder.outside.queries import to_confirm as outside_to_confirm
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.people.queries import find_people
from stepladder.playing.linked import said_to_be_done
from stepladder.queue.queries import failed, failed_count
from stepladder.quizzes.to_mark import papers_to_mark
from stepladder.records.list_columns import Filters
from stepladder.records.lists import status_rows
from stepladder.records.queries import late_summary
from stepladder.signing.queries import waiting_rows
from stepladder.timetable import queries as sessions
from stepladder.timetable.models import Session
from stepladder.web.templatetags.web import day, distance

__all__ = ["DeskLine", "desk_lines", "first_steps"]

# What the demo brought in is not what somebody did here.
LOADER = "Demo loader"
SOON_DAYS = 14
# Clashes are looked for in so many sessions to come, the soonest first.
MOST_SESSIONS = 400


@dataclass(frozen=True)
class DeskLine:
    """One thing that waits: how many, what, where it is done, and the first few of them by name."""

    count: int
    text: str
    url: str
    is_urgent: bool = False
    detail: str = ""


def desk_lines(account: Any) -> list[DeskLine]:
    """What needs somebody now, the urgent first; nothing that waits for nobody."""
    today = clock.today()
    lines = [
        _late(today, people_seen(account, "open records")),
        _refused_uploads(account),
        _failed(account),
        _halted_uploads(account),
        _not_sent(account),
        _to_sign_off(account),
        _requests(account),
        _answers(account),
        _to_confirm(account),
        _from_outside(account),
        _to_mark(account),
        _asked_sign_offs(account),
        _waiting(account),
        _clashing(account),
        _running_out(today, people_seen(account, "open records")),
        _starting(today, account),
        _drafts(account),
    ]
    # Sorting keeps the order within the urgent and the others, which is that above.
    return sorted((line for line in lines if line.count), key=lambda line: not line.is_urgent)


def _first(texts: Sequence[str], count: int) -> str:
    """The first three, and how many more there are."""
    shown = " · ".join(texts[:3])
    return f"{shown} · and {count - 3} more" if count > 3 else shown


def _late(today: date, scope: frozenset[int] | None) -> DeskLine:
    count, courses = late_summary(today, scope)
    text = ngettext("person is late with something mandatory", "people are late with something mandatory", count)
    detail = _first([f"{title} {late}" for title, late in courses], len(courses))
    return DeskLine(count, text, reverse("records:late"), True, detail)


def _answers(account: Any) -> DeskLine:
    waiting = waiting_answers(account)
    rows, count = list(waiting[:3]), waiting.count()
    text = ngettext("answer waits for you", "answers wait for you", count)
    names = [f"{row.person.name}, {row.message.subject}" for row in rows]
    return DeskLine(count, text, reverse("messaging:answers"), False, _first(names, count))


def _requests(account: Any) -> DeskLine:
    waiting = to_decide(account)
    rows = list(waiting[:3])
    count = waiting.count()
    text = ngettext("request waits for your decision", "requests wait for your decision", count)
    names = [f"{row.person.name}, {row.thing.title}, {distance(row.asked_on)}" for row in rows]
    return DeskLine(count, text, reverse("catalogue:requests"), True, _first(names, count))


def _running_out(today: date, scope: frozenset[int] | None) -> DeskLine:
    covered = frozenset({Status.CURRENT, Status.RENEW})
    filters = Filters(day=today, known_on=today, statuses=covered, expires_to=today + timedelta(days=30), scope=scope)
    rows = status_rows(filters, sort="valid")
    address = reverse("records:standing") + "?status=current&status=renew&expires_to=today%2B30d&sort=valid"
    text = ngettext("completion runs out within 30 days", "completions run out within 30 days", len(rows))
    names = [f"{row.person.name}, {row.course.title}, {distance(row.valid_until)}" for row in rows[:3]]
    return DeskLine(len(rows), text, address, detail=_first(names, len(rows)))


def _starting(today: date, account: Any) -> DeskLine:
    coming = find_people(state="to come", day=today).filter(hired_on__lte=today + timedelta(days=SOON_DAYS))
    coming = policy.visible(account, "see people", coming)
    rows = list(coming.order_by("hired_on", "family_name")[:3])
    count = coming.count()
    text = ngettext("person starts within %(days)s days", "people start within %(days)s days", count)
    names = [f"{person.name}, {day(person.hired_on)}" for person in rows]
    address = reverse("people:list") + "?state=to+come&sort=hired"
    return DeskLine(count, text % {"days": SOON_DAYS}, address, detail=_first(names, count))


def _not_sent(account: Any) -> DeskLine:
    waiting = unsent() if policy.may(account, "send notices") else unsent().none()
    rows = list(waiting[:3])
    count = waiting.count()
    text = ngettext("notice could not be sent", "notices could not be sent", count)
    return DeskLine(count, text, reverse("notices:unsent"), True, _first([n.person.name for n in rows], count))


def _failed(account: Any) -> DeskLine:
    if not policy.may(account, "see to the queue"):
        return DeskLine(0, "", "")
    count = failed_count()
    text = ngettext("task of the background failed", "tasks of the background failed", count)
    names = [task.what for task in failed(3)] if count else []
    return DeskLine(count, text, reverse("desk:queue"), True, _first(names, count))


def _halted_uploads(account: Any) -> DeskLine:
    halted = halted_uploads() if policy.may(account, "see modules") else Upload.objects.none()
    rows = list(halted.order_by("beat_at")[:3])
    count = halted.count()
    text = ngettext("upload has come to a halt", "uploads have come to a halt", count)
    url = reverse("library:binder", args=[rows[0].binder.public_id]) if rows else ""
    return DeskLine(count, text, url, True, _first([f"{u.file_name[:60]} in {u.binder.name}" for u in rows], count))


def _to_confirm(account: Any) -> DeskLine:
    waiting = said_to_be_done(account)
    count, rows = waiting.count(), list(waiting[:3])
    text = ngettext(
        "thing is said to be done and to be confirmed", "things are said to be done and to be confirmed", count
    )
    names = [f"{one.enrolment.person.name}, {one.module.title}" for one in rows]
    return DeskLine(count, text, reverse("playing:to_confirm"), False, _first(names, count))


def _from_outside(account: Any) -> DeskLine:
    waiting = outside_to_confirm(account)
    count, rows = waiting.count(), list(waiting[:3])
    text = ngettext("training from outside waits to be confirmed", "trainings from outside wait to be confirmed", count)
    names = [f"{one.person.name}, {one.title}" for one in rows]
    return DeskLine(count, text, reverse("outside:waiting"), False, _first(names, count))


def _to_mark(account: Any) -> DeskLine:
    waiting = papers_to_mark(account)
    count, rows = waiting.count(), list(waiting[:3])
    text = ngettext("attempt at a quiz waits to be marked", "attempts at quizzes wait to be marked", count)
    names = [f"{paper.attempt.enrolment.person.name}, {paper.attempt.module.title}" for paper in rows]
    return DeskLine(count, text, reverse("quizzes:marking"), False, _first(names, count))


def _asked_sign_offs(account: Any) -> DeskLine:
    waiting = waiting_rows(account)
    count, rows = waiting.count(), list(waiting[:3])
    text = ngettext("person asks for a task to be signed off", "people ask for a task to be signed off", count)
    names = [f"{one.person.name}, {one.task_title}" for one in rows]  # type: ignore[attr-defined]
    return DeskLine(count, text, reverse("signing:waiting"), False, _first(names, count))


def _to_sign_off(account: Any) -> DeskLine:
    shown = policy.visible(account, "take attendance", Session.objects.all())
    rows = sessions.session_rows(sessions.with_all(sessions.find_sessions(shown, show="to sign off")))
    text = ngettext("session is over and not signed off", "sessions are over and not signed off", len(rows))
    names = [f"{row.session.module.title}, {day(row.first_day)}" for row in rows[:3]]
    address = reverse("timetable:list") + "?show=to+sign+off"
    return DeskLine(len(rows), text, address, True, _first(names, len(rows)))


def _waiting(account: Any) -> DeskLine:
    shown = policy.visible(account, "open sessions", Session.objects.all())
    rows = sessions.session_rows(sessions.with_all(sessions.find_sessions(shown, show="waiting")))
    count = sum(row.waiting for row in rows)
    text = ngettext("person waits for a seat", "people wait for a seat", count)
    names = [f"{row.session.module.title}, {day(row.first_day)} {row.waiting}" for row in rows[:3]]
    return DeskLine(count, text, reverse("timetable:list") + "?show=waiting", detail=_first(names, len(rows)))


def _clashing(account: Any) -> DeskLine:
    if not policy.may(account, "plan sessions"):
        return DeskLine(0, "", "")
    # Of all to come it would grow with the timetable; those far off have time to be mended.
    rows = sessions.session_rows(sessions.with_all(sessions.find_sessions(Session.objects.all()))[:MOST_SESSIONS])
    busy = sessions.busy_sessions(rows)
    found = [row for row in rows if row.session.pk in busy]
    text = ngettext("session clashes with another", "sessions clash with others", len(found))
    names = [f"{row.session.module.title}, {day(row.first_day)}" for row in found[:3]]
    address = f"{reverse('timetable:week')}?on={found[0].first_day}" if found else ""
    return DeskLine(len(found), text, address, True, _first(names, len(found)))


def _refused_uploads(account: Any) -> DeskLine:
    refused = Upload.objects.filter(state=Upload.State.REFUSED, is_dismissed=False).select_related("binder")
    if not policy.may(account, "see modules"):
        refused = refused.none()
    rows = list(refused.order_by("-pk")[:3])
    count = refused.count()
    text = ngettext("upload could not be used, and says why", "uploads could not be used, and say why", count)
    url = reverse("library:binder", args=[rows[0].binder.public_id]) if rows else ""
    return DeskLine(count, text, url, True, _first([f"{u.file_name[:60]} in {u.binder.name}" for u in rows], count))


def _drafts(account: Any) -> DeskLine:
    drafts = policy.visible(account, "see courses", Course.objects.all()).filter(editions__state=Edition.State.DRAFT)
    titles = list(drafts.order_by("title").values_list("title", flat=True)[:3])
    count = drafts.count()
    text = ngettext("course draft not released yet", "course drafts not released yet", count)
    return DeskLine(count, text, reverse("courses:list") + "?state=draft", detail=_first(titles, count))


@dataclass(frozen=True)
class FirstStep:
    """A line of the first ten minutes: what to do, where, and whether it has been done here."""

    text: str
    url: str
    done: bool


def first_steps(account: Any) -> list[FirstStep]:
    """From nothing to people who learn, for whoever builds a new installation up; in the order in which one builds on the other."""
    if not policy.may(account, "change modules"):
        return []
    binder = reverse("library:home") if Binder.objects.exists() else reverse("library:new_binder")
    people = Person.objects.exclude(changed_by=LOADER).exists()
    released = Course.objects.filter(state=CourseState.RELEASED).exclude(editions__changed_by=LOADER).exists()
    steps = [
        FirstStep(
            "Drop packages, films and PDFs onto a binder",
            binder,
            Module.objects.exclude(changed_by=LOADER).exists(),
        ),
        FirstStep("Make a course of them and release it", reverse("courses:new"), released),
    ]
    if policy.may(account, "import people"):
        steps.insert(0, FirstStep("Bring your people in from a file", reverse("people_import:imports"), people))
    if policy.may(account, "assign"):
        assigned = Assignment.objects.exclude(made_by=LOADER).exists()
        says = "Assign the course, and see who it reaches before you save"
        steps.append(FirstStep(says, reverse("assignments:new"), assigned))
    if policy.may(account, "invite"):
        invited = Entry.objects.filter(verb="invite_many").exclude(actor_name=LOADER).exists()
        steps.append(FirstStep("Invite them to sign in", reverse("people:list"), invited))
    if policy.may(account, "open records"):
        steps.append(FirstStep("See who is covered on any day", reverse("records:board"), False))
    return steps
