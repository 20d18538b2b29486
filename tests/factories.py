"""Things for tests, with sensible defaults: only what matters is spelled out."""

from __future__ import annotations

import io
import itertools
import zipfile
from datetime import date, time

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.actions import create_account
from stepladder.accounts.models import Account
from stepladder.assignments import actions as assigning
from stepladder.assignments.models import Assignment, AssignmentRule
from stepladder.charts import actions as charts_actions
from stepladder.charts.models import AdministeredPart, Chart, Position, Unit
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.models import Course
from stepladder.journal.actions import Machine
from stepladder.leads import actions as leads_actions
from stepladder.leads.models import Lead
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, Module, ModuleVersion
from stepladder.notices.actions import Message, tell
from stepladder.notices.models import Notice
from stepladder.people import actions as people
from stepladder.people.models import Person
from stepladder.reaches import actions as reaches_actions
from stepladder.reaches.models import Group
from stepladder.search import index
from stepladder.timetable import actions as timetable
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.models import Room, Session

BY = Machine("Test")
_numbers = itertools.count(1)


def d(text: str) -> date:
    return date.fromisoformat(text)


def a_unit(name: str = "Dunlin", parent: str | None = None, *, chart: Chart | None = None) -> Unit:
    """The unit of that name, made below *parent* if there is none yet."""
    found = Unit.objects.filter(name=name).first()
    return found or charts_actions.add_node(
        chart=chart or a_chart("unit"), under=a_unit(parent, chart=chart) if parent else None, name=name, by=BY
    )


def a_position(name: str = "Deckhand", parent: str | None = None) -> Position:
    """The position of that name, made below *parent* if there is none yet."""
    found = Position.objects.filter(name=name).first()
    return found or charts_actions.add_node(
        chart=a_chart("position"), under=a_position(parent) if parent else None, name=name, by=BY
    )


def a_chart(kind: str = "unit") -> Chart:
    """The main chart of a kind."""
    names = {"unit": "Units", "position": "Positions"}
    return Chart.objects.get_or_create(kind=kind, is_main=True, defaults={"name": names[kind]})[0]


def a_lead(
    position: str = "", person: Person | None = None, *, field: str = "own unit", powers=("see records",), **more
) -> Lead:
    """A lead of whoever is at a position, or of a named person, since long ago."""
    return leads_actions.give_lead(
        holder_position=a_position(position) if position else None,
        holder_person=person,
        field=field,
        powers=powers,
        by=BY,
        **{"from_day": d("2020-01-01"), **more},
    )


def a_group(name: str = "First aiders", *members: Person, condition: dict | None = None) -> Group:
    reach = {"in": condition, "named_in": [p.pk for p in members], "named_out": []}
    return reaches_actions.create_group(name=name, note="", reach=reach, by=BY)


def a_person(
    name: str = "Jun Pellam",
    *,
    unit: str = "Dunlin",
    position: str = "Deckhand",
    hired: str = "2024-01-08",
    email: str = "",
    number: str = "",
) -> Person:
    given, _, family = name.partition(" ")
    return people.hire(
        employee_number=number or f"T{next(_numbers):04d}",
        given_name=given,
        family_name=family,
        email=email,
        hired_on=d(hired),
        unit=a_unit(unit),
        position=a_position(position),
        by=BY,
    )


def an_account(
    *roles: str, name: str = "Ines Okoro", person: Person | None = None, parts: tuple[Unit, ...] = ()
) -> Account:
    number = next(_numbers)
    account = create_account(
        email=f"someone{number}@example.example", name=name, roles=list(roles), by=BY, password="a long password"
    )
    if person:
        person.account = account
        person.save(update_fields=["account"])
    AdministeredPart.objects.bulk_create([AdministeredPart(account=account, unit=unit) for unit in parts])
    return account


def a_binder(name: str = "Deck", owner: Account | None = None, *, is_shared: bool = True) -> Binder:
    found = Binder.objects.filter(name=name).first()
    return found or create_binder(name=name, owner=owner or an_account("administrator"), is_shared=is_shared, by=BY)


def a_module(
    title: str = "Lines under load", *, kind: str = "document", binder: Binder | None = None, data=None
) -> Module:
    module = Module.objects.create(
        binder=binder or a_binder(), kind=kind, title=title, minutes=10, changed_at=clock.now(), changed_by="Test"
    )
    a_version(module, 1, data)
    index.refresh("module", (module.pk,))
    return module


def a_version(module: Module, number: int, data=None) -> ModuleVersion:
    default = {
        "document": {"pages": 3},
        "video": {"seconds": 100.0},
        "audio": {"seconds": 100.0},
        "session": {"minutes": 120, "share": 80},
    }
    Module.objects.filter(pk=module.pk).update(newest_at=clock.now())
    return ModuleVersion.objects.create(
        module=module,
        number=number,
        data=data or default[module.kind],
        minutes=10,
        made_at=clock.now(),
        made_by="Test",
    )


def a_draft(title: str = "Mooring lines", modules: list[Module] | None = None, binder: Binder | None = None) -> Course:
    course = courses.create_course(title=title, binder=binder or a_binder(), by=BY)
    courses.edit_edition(course=course, revision=None, summary="What one can do after it.", by=BY)
    chosen = modules if modules is not None else [a_module(f"{title}, the booklet")]
    courses.add_steps(course=course, part=Part.MAIN, modules=chosen, by=BY)
    return course


def a_course(
    title: str = "Mooring lines", modules: list[Module] | None = None, *, months=0, window=0, grace=0
) -> Course:
    course = a_draft(title, modules)
    if months:
        courses.set_terms(
            course=course,
            months=months,
            days=0,
            is_calendar_year=False,
            window_days=window,
            grace_days=grace,
            from_day=d("2020-01-01"),
            by=BY,
        )
    courses.release_course(course=course, size="small", retake_by=None, by=BY)
    course.refresh_from_db()
    return course


def in_units(*units: Unit) -> dict:
    return {"in": {"kind": "any", "parts": [{"kind": "unit", "unit": u.pk, "below": True} for u in units]}}


def a_rule(reach: dict, **rule) -> AssignmentRule:
    """What an assignment asks, unsaved."""
    asked = {"start": clock.today(), "due_trigger": "opening", "due_days": 30, "notice_days": 14, **rule}
    return AssignmentRule(reach=reach, **asked)


def may(account: Account, verb: str, obj) -> bool:
    """What the policy says, as a bare truth."""
    return bool(policy.may(account, verb, obj))


def an_assignment(course: Course, reach: dict | None = None, **rule) -> Assignment:
    return assigning.assign(
        course=course,
        name=f"All of them: {course.title}",
        message="Because it matters.",
        rule=a_rule(reach or in_units(a_unit()), **rule),
        by=BY,
    )


def a_room(name: str = "Simulator", *, seats: int = 12, venue: str = "Marram Quay") -> Room:
    return Room.objects.filter(name=name).first() or timetable.add_room(venue=venue, name=name, seats=seats, by=BY)


def a_session(
    day: str = "2026-06-10", start: str = "09:00", *, minutes: int = 120, capacity: int = 2, module=None, **more
) -> Session:
    """A session to come, in a room of its own unless one is given; `more` goes to the action."""
    place = {} if "live_address" in more else {"room": a_room(f"Room {next(_numbers)}")}
    return timetable.plan_session(
        module=module or a_module("The drill", kind="session"),
        meetings=[MeetingPlan(d(day), time.fromisoformat(start), minutes)],
        capacity=capacity,
        by=BY,
        **{**place, **more},
    )


MANIFEST = """<?xml version="1.0"?>
<manifest identifier="m" xmlns="http://www.imsproject.org/xsd/imscp_rootv1p1p2" xmlns:adlcp="http://www.adlnet.org/xsd/adlcp_rootv1p2">
  <metadata><schema>ADL SCORM</schema><schemaversion>1.2</schemaversion></metadata>
  <organizations default="o"><organization identifier="o"><title>{title}</title>
    <item identifier="i1" identifierref="r1"><title>One</title><adlcp:masteryscore>80</adlcp:masteryscore></item>
  </organization></organizations>
  <resources><resource identifier="r1" type="webcontent" adlcp:scormtype="sco" href="{href}"><file href="{href}"/></resource></resources>
</manifest>"""


def a_zip(files: dict[str, str | bytes] | None = None, *, title: str = "Fire", href: str = "index.html") -> bytes:
    """A package's bytes; files replace or add to a sound one's."""
    content: dict[str, str | bytes] = {
        "imsmanifest.xml": MANIFEST.format(title=title, href=href),
        "index.html": "<h1>Fire</h1>",
    }
    content |= files or {}
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, body in content.items():
            archive.writestr(name, body)
    return out.getvalue()


def told(*people: Person, path: str = "/learn/x/") -> list[Notice]:
    """Each, who can sign in, is told that “Fire” is to be done."""
    for person in people:
        if person.account_id is None:
            an_account("learner", person=person)
    fields = {"course": "Fire", "by": "", "reasons": "To be done."}
    return tell("assigned", [Message(person, path, fields) for person in people])
