"""What makes assignments look again: people who come, go or move; completions; waivers; releases."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django.db.models import Q
from django.http import HttpRequest
from django.urls import reverse

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.assignments import actions
from stepladder.assignments.columns import note_moved, path_standing
from stepladder.assignments.models import Assignment, AssignmentRule, Reason, Wish
from stepladder.core.days import FOREVER
from stepladder.core.reach import asks_skills, courses_asked
from stepladder.courses.models import Course, Path
from stepladder.courses.paths import edition_of
from stepladder.courses.standing import PathStanding
from stepladder.journal.actions import Named
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.queue.actions import AT_ONCE, in_pieces
from stepladder.reaches.stored import load_world, parse
from stepladder.web.margin import Panel, VerbLink

__all__ = [
    "assign_many_verb",
    "assign_verb",
    "course_panel",
    "on_course_released",
    "on_group",
    "on_holdings",
    "on_moved",
    "on_need",
    "on_organisation",
    "on_path_released",
    "on_people",
    "on_places_opened",
    "on_skill",
    "path_panel",
    "path_standing_seen",
    "waive_verb",
]


# What somebody has to do, or has done, is otherwise now.
RowsChanged = (
    events.AssignmentsChanged
    | events.CompletionRecorded
    | events.CompletionRevoked
    | events.SpansChanged
    | events.WaiverChanged
)


def on_people(event: events.ChartChanged | events.EmploymentChanged | events.PlacementChanged, act: events.Act) -> None:
    if not Assignment.objects.exists() and not Wish.objects.exists():
        # Nothing was ever asked of anybody, or chosen: the first people of a company come in before its first assignment.
        return
    _refresh(event.people, act)


def _refresh(people: Sequence[int], act: events.Act) -> None:
    """Everything that is asked of these people: of few at once, of many in the queue."""
    if len(people) <= AT_ONCE:
        actions.refresh_reasons(people=people, act=act)
    else:
        in_pieces("reasons of people", ids=people, act=act)


def _asking_completions() -> list[int]:
    groups = load_world().groups
    rules = AssignmentRule.objects.known_now()
    return [rule.assignment_id for rule in rules if courses_asked(parse(rule.reach), groups)]


def on_holdings(
    event: events.CompletionRecorded | events.CompletionRevoked | events.SpansChanged, act: events.Act
) -> None:
    """Who holds the course are others now, and so who is in a reach that asks for it."""
    asking = _asking_completions()
    if asking:
        actions.refresh_reasons(assignments=asking, people=event.people, act=act)


def on_need(event: RowsChanged, act: events.Act) -> None:
    """Whoever needs a place now gets one at once, and a place that nothing asks for is closed."""
    actions.keep_true(people=list(event.people), act=act)


def on_moved(event: RowsChanged, act: events.Act) -> None:
    """Reasons, waivers or spans of these people were written anew: their columns are read again."""
    note_moved(event.people)


def on_path_released(event: events.PathReleased, act: events.Act) -> None:
    for assignment in Assignment.objects.filter(path=event.path).select_related("path"):
        assert assignment.path is not None, "it was found by its path"
        named = Named("path", assignment.path.public_id, assignment.path.title)
        actions.spread(assignment, act, shown_on=named)
    _ask_like(Path.objects.get(pk=event.path), act)
    chosen = Wish.objects.known_now().filter(path=event.path, to_day__isnull=True)
    if people := sorted(set(chosen.values_list("person_id", flat=True))):
        _refresh(people, act)


def _ask_like(path: Path, act: events.Act) -> None:
    """A copy that is released for the first time is asked, from today on, of whomever the one that it is like is asked of."""
    if path.asked_like_id is None:
        return
    like, path.asked_like = path.asked_like_id, None
    path.save(update_fields=["asked_like"])
    rules = AssignmentRule.objects.known_now().filter(assignment__path=like).select_related("assignment")
    for rule in rules.order_by("pk"):
        if rule.end is not None and rule.end < act.day:
            continue
        names = [field.attname for field in AssignmentRule._meta.concrete_fields if field.attname in COPIED]
        copied = AssignmentRule(**{name: getattr(rule, name) for name in names})
        copied.start = max(rule.start, act.day)
        actions.assign(
            course=path,
            name=f"{rule.assignment.name}: {path.title}"[:160],
            message=rule.assignment.message,
            later_message=rule.assignment.later_message,
            rule=copied,
            by=events.Doer(act.by.public_id, act.by.name),
        )


# What a rule asks, beside its start.
COPIED = frozenset(
    {
        *("reach", "end", "is_mandatory", "is_one_off", "due_day", "due_trigger", "due_months", "due_days"),
        *("notice_days", "taken_from"),
    }
)


def on_course_released(event: events.CourseReleased, act: events.Act) -> None:
    """Whoever was asked for it while it could not be begun gets a place."""
    asked = Reason.objects.filter(course=event.course, known_to=FOREVER, last__gte=act.day)
    people = sorted(set(asked.values_list("person_id", flat=True)))
    if len(people) <= AT_ONCE:
        actions.keep_true(people=people, act=act)
    else:
        in_pieces("places", ids=people, act=act)


def on_organisation(event: events.OrganisationChanged, act: events.Act) -> None:
    if {"first_weekday", "first_month", "zone"} & set(event.settings):
        in_pieces("reasons of people", act=act)


def on_group(event: events.GroupChanged, act: events.Act) -> None:
    rules = AssignmentRule.objects.known_now().select_related("assignment__course", "assignment__path")
    for rule in rules:
        if parse(rule.reach).asks_groups:
            actions.spread(rule.assignment, act)


def on_skill(event: events.SkillChanged, act: events.Act) -> None:
    """A level needs other credits, or a course gives others: who holds it are others now."""
    groups = load_world().groups
    for rule in AssignmentRule.objects.known_now().select_related("assignment__course", "assignment__path"):
        if asks_skills(parse(rule.reach), groups):
            actions.spread(rule.assignment, act)


def on_places_opened(event: events.PlacesOpened, act: events.Act) -> None:
    actions.tell_places(event.enrolments, act)


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


def path_standing_seen(account: Any, path: Path) -> PathStanding | None:
    """Who stands where on a path, of those whose records an account may open."""
    edition = edition_of(path)
    if edition is None or not policy.may(account, "open records"):
        return None
    return path_standing(edition, day=clock.today(), seen=people_seen(account, "open records"))


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
