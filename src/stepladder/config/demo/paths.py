"""Marram Sound Ferries: the first 90 days on deck, in three stages."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from typing import Any

from stepladder import clock
from stepladder.accounts import organisation as organisations
from stepladder.assignments import actions as assigning
from stepladder.assignments.models import AssignmentRule
from stepladder.config.demo import deck
from stepladder.config.demo.crew import BY, Charts, at
from stepladder.core.admission import Admission
from stepladder.courses import paths
from stepladder.courses.keeping import BUILDERS, allow_builders
from stepladder.courses.models import Course, Path
from stepladder.courses.offers import offer_alone, set_offer
from stepladder.courses.programmes import ProgrammeSaid, save_programme
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, Module
from stepladder.people.models import Person

__all__ = ["make_own_path", "make_paths", "make_programme"]

TITLE = "The first 90 days on deck"
STAGES = [
    (
        "Safe aboard",
        "raise the alarm, and stand where a parting line does not go",
        21,
        ["Fire on board", "Mooring lines and snap-back"],
    ),
    ("Part of the crew", "guide passengers, and be understood on the radio", 50, ["Guiding a crowd", "Radio words"]),
    (
        "Trusted with the deck",
        "keep yourself alive in cold water, and load a full deck",
        90,
        ["Sea survival basics", "Loading the vehicle deck"],
    ),
]
# One of these belongs to the last stage, as each chooses.
TO_CHOOSE = ["Yard induction", "Muster warden"]

OWN = "Before the winter timetable"
OWN_COURSES = ["Radio words", "Sea survival basics", "Mooring lines and snap-back"]

ASHORE = "From quay hand to shift lead"
ASHORE_STAGES = [
    ("Know the yard", "walk through the yard alone, and talk to a ship", ["Yard induction", "Radio words"]),
    ("Lead a muster", "bring two hundred people to their boats", ["Guiding a crowd", "Muster warden"]),
]


def make_programme(today: date) -> None:
    """A second path, for who wants it, and the programme that both are in."""
    titles = {course.title: course.pk for course in Course.objects.all()}
    with clock.pinned(at(today - timedelta(days=6), 9)):
        binder = Binder.objects.get(name="Deck")
        path = paths.create_path(title=ASHORE, binder=binder, by=BY)
        summary = "What a shift lead on the quay knows that a quay hand does not yet."
        path = paths.edit_path(path=path, revision=None, title=ASHORE, summary=summary, is_in_order=True, by=BY)
        stages = [paths.StagePlan(name, can, None, [titles[c] for c in own]) for name, can, own in ASHORE_STAGES]
        # A milestone: what a bosun signs off, of itself.
        milestone = offer_alone(module=Module.objects.get(title=deck.TASK), by=BY)
        stages[-1].courses.append(milestone.pk)
        paths.change_stages(path=path, stages=stages, by=BY)
        paths.release_path(path=path, by=BY)
        offer: dict[str, Any] = {"wish_days": None, "level": "working", "language": "en", "contact": None, "by": BY}
        set_offer(of=path, admission=Admission.OPEN, found_by=None, **offer)
        both = [Path.objects.get(title=TITLE), path]
        said = ProgrammeSaid("New aboard", "A first year with us, on deck and on the quay.", both, None, is_shown=True)
        save_programme(programme=None, binder=binder, said=said, by=BY)


def make_own_path(today: date) -> None:
    """Leads, unit administrators and instructors may build paths for their people; a master did."""
    master = Person.objects.get(given_name="Tilda", family_name="Pask").account
    assert master is not None, "who leads a ship signs in"
    titles = {course.title: course.pk for course in Course.objects.all()}
    with clock.pinned(at(today - timedelta(days=4), 11)):
        owner = Binder.objects.get(name="Deck").owner
        binder = create_binder(name="From those who lead", owner=owner, is_shared=False, by=BY)
        allow_builders(roles=[role.value for role in BUILDERS], binder=binder, by=BY)
        organisations.forget()
    with clock.pinned(at(today - timedelta(days=3), 18)):
        path = paths.create_path(title=OWN, binder=binder, pattern="worth", by=master)
        summary = "What I want us all to have gone over before the weather turns."
        path = paths.edit_path(
            path=path, revision=path.revision, title=OWN, summary=summary, is_in_order=False, by=master
        )
        stage = paths.StagePlan(
            "Worth knowing", "help on deck in the dark and the wet", courses=[titles[title] for title in OWN_COURSES]
        )
        paths.change_stages(path=path, stages=[stage], by=master)
        paths.release_path(path=path, by=master)


def make_paths(charts: Charts, today: date, days_ago: int) -> None:
    """The path, released and asked of whoever is new on deck."""
    titles = {course.title: course.pk for course in Course.objects.all()}
    with clock.pinned(at(today - timedelta(days=days_ago), 7, 20)):
        path = paths.create_path(title=TITLE, binder=Binder.objects.get(name="Deck"), by=BY)
        summary = "From the gangway to a watch of one’s own: what everybody learns who is new on deck."
        path = paths.edit_path(path=path, revision=None, title=TITLE, summary=summary, is_in_order=True, by=BY)
        stages = [paths.StagePlan(name, can, days, [titles[c] for c in courses]) for name, can, days, courses in STAGES]
        stages[-1] = replace(stages[-1], electives=[titles[title] for title in TO_CHOOSE], choose=1)
        paths.change_stages(path=path, stages=stages, by=BY)
        paths.release_path(path=path, by=BY)
        on_deck = [{"kind": "position", "position": charts.positions[p].pk} for p in ("Deckhand", "Deck trainee")]
        parts = [{"kind": "any", "parts": on_deck}, {"kind": "hired within", "days": 100}]
        rule = AssignmentRule(
            reach={"in": {"kind": "all", "parts": parts}},
            start=today - timedelta(days=days_ago),
            due_trigger=AssignmentRule.Trigger.HIRE,
            due_days=90,
        )
        message = "Your bosun goes through each stage with you."
        assigning.assign(course=path, name="New on deck, 90 days", message=message, rule=rule, by=BY)
