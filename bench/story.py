"""Every page of the story in a large firm with its records and its timetable: none may take a second on the server."""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Iterator

from django.urls import reverse

from bench import board, company, sessions
from bench.pages import timed
from stepladder import clock
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account
from stepladder.assignments import columns
from stepladder.assignments.models import Assignment
from stepladder.charts.models import Chart, Unit
from stepladder.courses.models import Course
from stepladder.journal.models import Entry
from stepladder.learning.models import Enrolment
from stepladder.library.actions import create_binder
from stepladder.library.models import Module
from stepladder.people.actions import move
from stepladder.people.models import Person, Placement
from stepladder.timetable.models import Session

TIMES = 3
# What a page may take, in seconds.
AIM = 1.0


def run(people: int, units: int, courses: int, held: int) -> list[str]:
    """A line for each page, the slowest first."""
    board.fill(people, units, courses)
    admin = Account.objects.get(email="ines@bench.example")
    soon = sessions.fill(create_binder(name="Deck", owner=admin, is_shared=True, by=company.BY), held)
    columns.everything()
    found = []
    for label, who, url in _pages(admin, soon):
        _, took = timed(who, url, TIMES)
        found.append((statistics.median(took), took[0], label))
        # It takes minutes: what is slow is seen as it comes.
        print(f"{label}: {found[-1][0]:.2f} s", file=sys.stderr, flush=True)
    found.sort(reverse=True)
    over = [label for median, _, label in found if median > AIM]
    lines = [f"  {label}: {median:.2f} s (the first time {first:.2f} s)" for median, first, label in found]
    lines.append(f"  somebody moves, and all that follows from it: {_moved():.2f} s")
    return [*lines, f"{len(found)} pages, {len(over)} of them over {AIM:.0f} s{': ' * bool(over)}{', '.join(over)}"]


def _moved() -> float:
    """Seconds until one placement is another, reasons, places and columns included. Work for the queue is done in place here."""
    person = Person.objects.order_by("pk")[Person.objects.count() // 2]
    old = Placement.objects.known_now().get(person=person)
    unit = Unit.objects.exclude(pk=old.unit_id).order_by("pk")[7]
    began = time.perf_counter()
    move(person=person, unit=unit, position=old.position, from_day=clock.today(), ending=[old], by=company.BY)
    columns.everything()
    return time.perf_counter() - began


def _pages(admin: Account, soon: Session) -> Iterator[tuple[str, Account, str]]:
    """(label, who, address) of the story, step by step."""
    head = _with_account(Person.objects.get(employee_number="N000001"), "head")
    learner = _with_account(Person.objects.order_by("-pk")[0], "learner")
    person = Person.objects.order_by("-pk")[0].public_id
    unit, chart = Unit.objects.get(name="Unit 0001"), Chart.objects.get(kind=Chart.Kind.UNIT).pk
    drills = Course.objects.get(title="Drills")
    asked = Course.objects.get(title="Course 01").public_id
    module = Module.objects.get(pk=soon.module_id)
    place = Enrolment.objects.get(person__public_id=person, course=drills).public_id
    entry = Entry.objects.filter(verb="assign").order_by("-number")[0].number
    everyone = Assignment.objects.get(name="All: Course 01").public_id

    def at(name: str, *arguments: object) -> str:
        return reverse(name, args=arguments)

    of_admin = {
        "Desk": at("desk:desk"),
        "Library": at("library:home"),
        "a binder": at("library:binder", module.binder.public_id),
        "a module": at("library:module", module.public_id),
        "courses": at("courses:list"),
        "a course": at("courses:course", drills.public_id),
        "its release": at("courses:release", drills.public_id),
        "paths": at("courses:paths"),
        "people": at("people:list"),
        "people, page 900": at("people:list") + "?page=900",
        "people who left": at("people:list") + "?state=left",
        "a person": at("people:person", person),
        "move somebody": at("people:move", person),
        "their sign-in": at("people:sign_in", person),
        "chart": at("charts:chart", chart),
        "a unit": at("charts:node", chart, unit.public_id),
        "move a unit": at("charts:move_node", chart, unit.public_id),
        "leads": at("leads:leads"),
        "new lead": at("leads:new_lead"),
        "groups": at("reaches:groups"),
        "new group": at("reaches:new_group"),
        "imports": at("people_import:imports"),
        "assignments": at("assignments:list"),
        "new assignment": at("assignments:new"),
        "an assignment of everybody": at("assignments:assignment", everyone),
        "week": at("timetable:week"),
        "sessions": at("timetable:list"),
        "new session": at("timetable:new"),
        "a session": at("timetable:session", soon.public_id),
        "book": at("timetable:book", soon.public_id),
        "roster": at("timetable:roster", soon.public_id),
        "sign-in sheet": at("timetable:sign_in_sheet", soon.public_id),
        "board": at("records:board"),
        "who is late": at("records:late"),
        "who stands how": at("records:standing"),
        "a training record": at("records:record", person),
        "why": at("records:why", person, asked),
        "Journal": at("records:journal"),
        "an act": at("records:entry", entry),
        "search": at("search:results") + "?q=family0001",
        "organisation": at("accounts:organisation"),
    }
    of_learner = {
        "Up next": at("desk:up_next"),
        "a course of one’s own": at("playing:course", place),
        "a step": at("playing:step", place, module.public_id),
        "sessions of one’s own": at("timetable:own"),
        "a record of one’s own": at("records:own"),
    }
    of_head = {"team": at("desk:team"), "board of a team": at("records:board"), "late of a team": at("records:late")}
    for who, pages in ((admin, of_admin), (learner, of_learner), (head, of_head)):
        yield from ((label, who, url) for label, url in pages.items())


def _with_account(person: Person, name: str) -> Account:
    account = create_account(email=f"{name}@bench.example", name=person.name, roles=["learner"], by=company.BY)
    person.account = account
    person.save(update_fields=["account"])
    return account
