"""What of the fire film, and of the muster list, people really saw: most all of it, some jump, some see a part again, some leave."""

from __future__ import annotations

import random
from datetime import date, timedelta

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.config.demo.crew import at
from stepladder.core.coverage import Interval, union
from stepladder.courses.models import Step
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library.models import ModuleVersion
from stepladder.playing.notes import write_note

__all__ = ["make_watching"]

# Dice of its own, so that what else the demo has stays as it is.
SEED = 13
DAYS, MOST = 400, 90
# How many days ago, of which module, at which second or page.
NOTES = (
    (38, "The first two minutes", 12.0, "Shut the vent first, then fetch the hose. Ours is behind the third frame."),
    (38, "The first two minutes", 31.5, "Who counts heads on the Dunlin? Ask at the next drill."),
    (37, "Muster list of your vessel", 4.0, "My place: station 2, port side, with the lists."),
    (3, "Lines under load", 2.0, "Never in the bight. Show this page to the new deckhands."),
)


def make_watching(today: date) -> None:
    """Attempts at the film and the document of “Fire on board”, in keeping with what was completed."""
    dice = random.Random(SEED)  # noqa: S311 - made-up data
    places = Enrolment.objects.filter(course__title="Fire on board").select_related("edition").order_by("pk")
    done = places.filter(completed_at__gte=at(today - timedelta(days=DAYS)))
    rows = []
    for place in done[:MOST]:
        for step in place.edition.steps.filter(module__kind__in=("video", "document")).select_related("version"):
            if not Attempt.objects.filter(enrolment=place, module=step.module_id).exists():
                rows.append(_attempt(place, step, _seen_whole(step, dice), "completed"))
    for place in places.filter(completed_at=None, closed_on=None, begun_at__isnull=False):
        film = place.edition.steps.filter(module__kind="video").select_related("version").first()
        begun = {attempt.module_id for attempt in place.attempts.filter(status="completed")}
        if film is None or film.module_id in begun or not begun:
            continue
        some: list[Interval] = dice.choice([[(0, dice.uniform(3, 9))], [(0, 17), (26, 41)], [(0, dice.uniform(9, 14))]])
        rows.append(_attempt(place, film, some, "incomplete"))
    Attempt.objects.bulk_create(rows)
    _make_notes(today)


def _make_notes(today: date) -> None:
    """What a learner wrote down at the fire film and the muster list."""
    account = Account.objects.get(name="Jun Pellam")
    for days, title, place, text in NOTES:
        version = ModuleVersion.objects.filter(module__title=title).order_by("number").last()
        if version is not None:
            with clock.pinned(at(today - timedelta(days=days))):
                write_note(version=version, place=place, text=text, by=account)


def _seen_whole(step: Step, dice: random.Random) -> list[Interval]:
    """What somebody saw who completed it: of the film nine tenths are enough, of the document it is every page."""
    if "pages" in step.version.data:
        pages = step.version.data["pages"]
        again: list[Interval] = [(2, 3)] if dice.random() < 0.4 else []
        return [(0, pages), *again]
    seconds = step.version.data["seconds"]
    chance = dice.random()
    if chance < 0.4:
        jump = dice.uniform(3.6, 4.7)
        return [(0, 18), (18 + jump, seconds)]
    if chance < 0.6:
        return [(0, 40), (31, seconds)]
    return [(0, seconds if chance < 0.9 else seconds * 0.95)]


def _attempt(place: Enrolment, step: Step, seen: list[Interval], status: str) -> Attempt:
    plays = [[round(a, 2), round(b, 2)] for a, b in seen]
    length = float(step.version.data.get("seconds") or step.version.data["pages"])
    data: dict[str, object] = {"plays": plays, "at": plays[-1][1]}
    if "pages" in step.version.data:
        data["pages"] = list(range(1, int(length) + 1))
    else:
        data["played"] = [[round(a, 2), round(b, 2)] for a, b in union(seen, length)]
    when = place.completed_at or place.begun_at
    assert when is not None
    return Attempt(
        enrolment=place,
        module_id=step.module_id,
        version=step.version,
        begun_at=when - timedelta(minutes=40),
        last_at=when - timedelta(minutes=20),
        seconds=round(sum(b - a for a, b in seen)) if status != "completed" else 60,
        status=status,
        data=data,
    )
