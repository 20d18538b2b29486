"""Marram Sound Ferries: what is offered, what people keep and pass on, what waits to be decided."""

from __future__ import annotations

import random
from datetime import date, timedelta
from typing import Any

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.catalogue.actions import entering, keeping, passing
from stepladder.catalogue.circles import waiting_requests
from stepladder.config.demo.crew import BY, Charts, at
from stepladder.core.admission import Admission
from stepladder.courses.models import Course, Path
from stepladder.courses.offers import offer_alone, set_offer
from stepladder.courses.skills import add_skill, give_credits
from stepladder.courses.topics import set_topics
from stepladder.learning.models import Completion
from stepladder.library.models import Module
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on
from stepladder.topics.models import Topic

__all__ = ["make_offers"]

# title, how one gets in, days for who chose it, level
COURSES = [
    ("Guiding a crowd", Admission.OPEN, None, "working"),
    ("Radio words", Admission.OPEN, 30, "first"),
    ("Loading the vehicle deck", Admission.OPEN, None, "working"),
    ("Muster warden", Admission.ON_APPROVAL, None, "expert"),
    ("Entering closed spaces", Admission.ON_APPROVAL, 60, "working"),
    ("Galley hygiene", Admission.BY_NOMINATION, None, ""),
    ("Handling ticket data", Admission.OPEN, None, ""),
]
ALONE = [
    "Lines under load",
    "Where a parting line goes",
    "Words on the deck",
    "Carrying dangerous goods",
    "What the car decks carry",
    "Passengers on the stair",
    "Mustering on the Dunlin",
    "Our three terminals",
    "Radio words, spoken",
    "Radio words, the card",
    "How a fire grows",
    "The first two minutes",
    "Extinguishers and blankets",
    "Sea survival, the booklet",
    "Today’s tides at our piers",
    "New season, what is new",
]
# What carries no topic in the library.
ABOUT = {
    "How a fire grows": "Fire",
    "Today’s tides at our piers": "Terminals",
    "Passengers on the stair": "Passengers",
    "New season, what is new": "Working here",
}
WORDS = [
    "The second half could be shorter.",
    "At last somebody shows what the hand signal looks like from the bridge.",
    "",
    "Good before a night watch.",
    "",
]


def make_offers(charts: Charts, today: date, rng: random.Random) -> None:
    """Offers, ratings, what is followed and passed on, the noticeboard, and three requests that wait."""
    fleet = {"in": {"kind": "unit", "unit": charts.units["Fleet"].pk, "below": True}, "named_in": [], "named_out": []}
    with clock.pinned(at(today - timedelta(days=40), 9, 30)):
        _offer(fleet)
        _skills()
    _rate(today, rng)
    _follow(today, rng)
    jun = Account.objects.get(name="Jun Pellam")
    bo = Account.objects.get(name="Bo Tarn")
    with clock.pinned(at(today - timedelta(days=3), 11, 5)):
        passing.pass_on(
            person=bo.person,
            thing=_thing("Words on the deck"),
            to=[jun.person],
            words="Page two is what I meant on Monday.",
            by=bo,
        )
        keeping.keep(person=jun.person, thing=_thing("Our three terminals"), is_on=True, by=jun)
        passing.post(
            thing=_thing("How a fire grows"),
            words="Winter watches: read it before you spend the first night aboard.",
            reach=fleet,
            from_day=today - timedelta(days=3),
            to_day=today + timedelta(days=25),
            by=BY,
        )
    _ask(today)


def _thing(title: str) -> Course:
    return Course.objects.get(title=title)


def _offer(fleet: dict[str, Any]) -> None:
    for title, admission, days, level in COURSES:
        _set(_thing(title), admission, None, days, level)
    path = Path.objects.get(title="The first 90 days on deck")
    _set(path, Admission.ON_APPROVAL, fleet, None, "")
    for title in ALONE:
        module = Module.objects.filter(title=title).first()
        if module is not None and module.minutes:
            course = offer_alone(module=module, by=BY)
            _set(course, Admission.OPEN, None, None, "")
            if title in ABOUT:
                set_topics(of=course, topics=[Topic.objects.get(name=ABOUT[title]).public_id], by=BY)
    set_topics(of=path, topics=[Topic.objects.get(name="Seamanship").public_id], by=BY)


def _set(of: Course | Path, admission: Admission, reach: dict[str, Any] | None, days: int | None, level: str) -> None:
    bosun = Account.objects.get(name="Bo Tarn").person
    set_offer(
        of=of,
        admission=admission,
        found_by=reach,
        wish_days=days,
        level=level,
        language="en",
        contact=bosun if level == "working" else None,
        by=BY,
    )


def _skills() -> None:
    """Two skills whose levels come with what people have done already."""
    deck = add_skill(
        name="Deck work",
        description="From holding a line that somebody else made fast to running a mooring station.",
        levels=[("works under a bosun’s eye", 3), ("holds a station alone", 4)],
        by=BY,
    )
    crowd = add_skill(
        name="People on board", description="Keeping passengers well.", levels=[("guides a crowd", 2)], by=BY
    )
    for skill, number, title, count in (
        (deck, 1, "Mooring lines and snap-back", 2),
        (deck, 1, "Radio words", 1),
        (deck, 1, "Loading the vehicle deck", 1),
        (deck, 2, "Loading the vehicle deck", 2),
        (deck, 2, "Sea survival basics", 2),
        (crowd, 1, "Guiding a crowd", 2),
    ):
        give_credits(course=_thing(title), level=skill.levels.get(number=number), credits=count, by=BY)


def _rate(today: date, rng: random.Random) -> None:
    """Some of those who completed a course say how it was."""
    for title in ("Guiding a crowd", "Radio words", "Loading the vehicle deck"):
        course = _thing(title)
        done = Completion.objects.known_now().filter(course=course).order_by("pk").select_related("person")
        people = {row.person_id: row.person for row in done}
        for person in list(people.values())[:23]:
            with clock.pinned(at(today - timedelta(days=rng.randint(1, 35)), 13, rng.randint(0, 59))):
                keeping.rate(
                    person=person, thing=course, points=rng.choice([3, 4, 4, 5, 5]), words=rng.choice(WORDS), by=BY
                )


def _follow(today: date, rng: random.Random) -> None:
    """Deckhands follow what deckhands do; Jun follows nothing yet, and is shown that."""
    topics = {topic.name: topic for topic in Topic.objects.filter(parent__isnull=True)}
    on_deck = (
        Placement.objects.filter(valid_on(today), position__name="Deckhand").order_by("pk").select_related("person")
    )
    jun = Account.objects.get(name="Jun Pellam").person
    for placement in on_deck:
        if placement.person != jun:
            for name in rng.sample(["Seamanship", "Safety", "Seamanship", "Passengers", "Working here"], 2):
                keeping.follow(person=placement.person, topic=topics[name], is_on=True, by=BY)


def _ask(today: date) -> None:
    """Three who ask: two of the Dunlin's for closed spaces and warden, one of the shore's."""
    for days, unit, title, words in (
        (9, "Dunlin", "Entering closed spaces", "The chief takes me along to the void spaces from January on."),
        (
            4,
            "Osier Point",
            "Entering closed spaces",
            "We open the pontoon twice a year, and nobody on the early shift may.",
        ),
        (1, "Dunlin", "Entering closed spaces", "I would like to stand watch outside while others are in."),
    ):
        course = _thing(title)
        placed = Placement.objects.filter(valid_on(today), unit__name=unit).order_by("-pk").select_related("person")
        person = next((p.person for p in placed if _may_ask(p.person, course)), None)
        if person is None:
            continue
        with clock.pinned(at(today - timedelta(days=days), 8, 40)):
            entering.ask(person=person, thing=course, words=words, by=BY)
    with clock.pinned(at(today, 5, 0)):
        for request in waiting_requests():
            entering.ask_further(request=request)


def _may_ask(person: Person, course: Course) -> bool:
    known = person.enrolments.filter(course=course).exists() or person.wishes.exists()
    return not known and not person.requests.exists() and person.account_id is None
