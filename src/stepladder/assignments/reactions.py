"""What makes assignments look again: people who come, go or move; completions; waivers; releases."""

from __future__ import annotations

from django.db import transaction
from django.db.models import Q
from django.http import HttpRequest
from django.urls import reverse

from stepladder import events
from stepladder.accounts import policy
from stepladder.assignments import actions
from stepladder.assignments.effects import path_effect, people_effect
from stepladder.assignments.models import Assignment, AssignmentRule, Reason
from stepladder.assignments.tasks import refresh_all_reasons, refresh_assignments
from stepladder.core.days import FOREVER
from stepladder.core.reach import courses_asked
from stepladder.courses.models import Course, Path
from stepladder.people.models import Person
from stepladder.people.reaches import load_world, parse
from stepladder.web.margin import Panel, VerbLink

__all__ = ["assign_many_verb", "assign_verb", "course_panel", "listen", "path_panel", "waive_verb"]

# So many people are looked at within the act itself; more go to the queue.
AT_ONCE = 50


def _people_changed(event: events.ChartChanged | events.EmploymentChanged | events.PlacementChanged) -> None:
    if not Assignment.objects.exists():
        # Nothing was ever asked of anybody: the first people of a company come in before its first assignment.
        return
    if len(event.people) <= AT_ONCE:
        actions.refresh_reasons(people=event.people)
    else:
        people = list(event.people)
        transaction.on_commit(lambda: refresh_all_reasons.enqueue(people=people))


def _asking_completions() -> list[int]:
    groups = load_world().groups
    rules = AssignmentRule.objects.known_now()
    return [rule.assignment_id for rule in rules if courses_asked(parse(rule.reach), groups)]


def _completions_changed(event: events.CompletionRecorded | events.CompletionRevoked) -> None:
    asking = _asking_completions()
    if asking:
        actions.refresh_reasons(assignments=asking, people=event.people)
    else:
        actions.keep_true(people=list(event.people))


def _terms_changed(event: events.CourseTermsChanged | events.CourseReleased) -> None:
    """Other spans: who holds the course may be others now, and so who is in a reach that asks for it."""
    if AssignmentRule.objects.known_now().exists():
        asking = _asking_completions()
        transaction.on_commit(lambda: refresh_assignments.enqueue(assignments=asking))


def _path_released(event: events.PathReleased) -> None:
    asking = list(Assignment.objects.filter(path=event.path).values_list("pk", flat=True))
    if asking:
        transaction.on_commit(lambda: refresh_assignments.enqueue(assignments=asking))


def _organisation_changed(event: events.OrganisationChanged) -> None:
    if {"first_weekday", "first_month"} & set(event.settings):
        transaction.on_commit(lambda: refresh_all_reasons.enqueue())


def _group_changed(event: events.GroupChanged) -> None:
    rules = AssignmentRule.objects.known_now()
    asking = [rule.assignment_id for rule in rules if parse(rule.reach).asks_groups]
    if asking:
        transaction.on_commit(lambda: refresh_assignments.enqueue(assignments=asking))


def listen() -> None:
    events.listen(events.ChartChanged, _people_changed)
    events.listen(events.GroupChanged, _group_changed)
    events.answer(events.PeopleProposed, people_effect)
    events.listen(events.EmploymentChanged, _people_changed)
    events.listen(events.PlacementChanged, _people_changed)
    events.listen(events.CompletionRecorded, _completions_changed)
    events.listen(events.CompletionRevoked, _completions_changed)
    events.listen(events.CourseTermsChanged, _terms_changed)
    events.listen(events.CourseReleased, _terms_changed)
    events.listen(events.OrganisationChanged, _organisation_changed)
    events.listen(events.PathReleased, _path_released)
    events.answer(events.PathProposed, path_effect)


def course_panel(request: HttpRequest, course: Course) -> Panel | None:
    """Which assignments ask for a course."""
    if not policy.may(request.user, "assign"):
        return None
    asking = Reason.objects.filter(course=course, known_to=FOREVER).values("assignment")
    asked = Assignment.objects.filter(Q(course=course) | Q(pk__in=asking))
    return Panel("Assigned", "assignments/panel.html", {"assignments": list(asked)})


def path_panel(request: HttpRequest, path: Path) -> Panel | None:
    """Which assignments ask for a path."""
    if not policy.may(request.user, "assign"):
        return None
    return Panel("Assigned", "assignments/panel.html", {"assignments": list(Assignment.objects.filter(path=path))})


def assign_verb(request: HttpRequest, asked: Course | Path) -> VerbLink | None:
    """From a released course or path to a new assignment of it."""
    if asked.state != "released" or not policy.may(request.user, "assign"):
        return None
    return VerbLink("Assign…", reverse("assignments:new") + f"?course={asked.public_id}")


def assign_many_verb(request: HttpRequest, _: None) -> VerbLink | None:
    """From people chosen in the list to a new assignment for them."""
    if not policy.may(request.user, "assign"):
        return None
    return VerbLink("Assign…", reverse("assignments:new_for"))


def waive_verb(request: HttpRequest, person: Person) -> VerbLink | None:
    """From a person to a waiver."""
    if not policy.may(request.user, "waive"):
        return None
    return VerbLink("Waive…", reverse("assignments:waive", args=[person.public_id]))
