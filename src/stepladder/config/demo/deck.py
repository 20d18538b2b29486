"""What is shown on deck and signed off: mooring a ship, by the bosuns."""

from __future__ import annotations

import random
from datetime import date, timedelta
from uuid import UUID

from stepladder import clock
from stepladder.config.demo.crew import BY, at
from stepladder.courses.models import Step
from stepladder.journal.actions import Machine
from stepladder.learning.actions import begin_step, finish_step
from stepladder.learning.models import Attempt, Enrolment, StepDone
from stepladder.learning.time_spent import add_signed_time
from stepladder.library.editing import edit_module
from stepladder.library.models import Binder
from stepladder.people.models import Person, Placement
from stepladder.people.queries import active_on
from stepladder.signing.actions.asking import ask_for_sign_off
from stepladder.signing.actions.sign_offs import Given, check_list_of, sign_off
from stepladder.signing.actions.tasks import create_task, name_signers, release_task, write_check_list
from stepladder.signing.models import SignOff, Task

__all__ = ["TASK", "make_sign_offs", "make_task", "name_bosuns"]

TASK = "Moor her, with the bosun beside you"
SEED = 31
CRITERIA = (
    (
        "Names the places where a parting line goes, before the line is taken",
        "They point; you ask about one more.",
        True,
    ),
    ("Stands outside every bight, also while heaving", "", True),
    ("Looks the line over: chafe, glazed strands, the splice", "Hands along it, not eyes alone.", False),
    ("Passes the heaving line to the quay at the first or second throw", "", False),
    ("Makes fast on the bollard, figure of eight, no riding turns", "", False),
    ("Answers the bridge in the words of the card", "“Two metres … one … all fast.”", False),
)


def make_task(binder: Binder) -> Task:
    """The check list, released."""
    task = create_task(binder=binder, title=TASK, by=BY)
    rows = [
        {"key": f"line{number}", "text": text, "note": note, "is_must": is_must}
        for number, (text, note, is_must) in enumerate(CRITERIA, 1)
    ]
    raw = {"criteria": rows, "needed": 5, "minutes": 30, "days_back": 14}
    write_check_list(task=task, raw=raw, revision=None, by=BY)
    edit_module(
        module=task.module,
        revision=None,
        title=TASK,
        description="At a real berth, in real weather. The bosun watches and signs.",
        minutes=30,
        tags=["mooring"],
        language="en",
        topics=[],
        by=BY,
    )
    release_task(task=task, by=BY)
    return task


def _bosuns() -> list[Person]:
    placed = Placement.objects.known_now().filter(to_day=None, position__name="Bosun").select_related("person")
    return sorted({row.person for row in placed}, key=lambda person: person.employee_number)


def name_bosuns(today: date) -> None:
    """Every bosun signs it off for anybody, beside the masters, who lead."""
    with clock.pinned(at(today - timedelta(days=700))):
        name_signers(task=Task.objects.get(module__title=TASK), named=_bosuns(), only_named=False, by=BY)


def make_sign_offs(today: date) -> None:
    """What the bosuns signed for those who did the course, and who waits for them now."""
    dice = random.Random(SEED)  # noqa: S311 - made-up data
    bosuns = _bosuns()
    done = StepDone.objects.known_now().filter(module__title=TASK).order_by("pk")
    for row in done.select_related("enrolment__person", "enrolment__course", "version", "module"):
        _signed(row, dice.choice([one for one in bosuns if one != row.enrolment.person]), dice)
    _ahead(today, bosuns, dice)


def _signed(row: StepDone, bosun: Person, dice: random.Random) -> None:
    attempt = Attempt.objects.create(
        enrolment=row.enrolment,
        module=row.module,
        version=row.version,
        begun_at=row.at,
        last_at=row.at,
        seconds=1800,
        status="completed",
    )
    keys = [one.key for one in check_list_of(attempt).criteria]
    met = keys if dice.random() < 0.7 else [key for key in keys if key != dice.choice(keys[2:])]
    made = SignOff.objects.create(
        key=_key(dice),
        attempt=attempt,
        signer=bosun,
        by_name=bosun.name,
        day=row.day,
        at=row.at,
        signed_at=row.at,
        recorded_on=row.day,
        met=met,
        not_yet=[key for key in keys if key not in met],
        minutes=30,
        signature=_signature(bosun.name),
        signature_of_learner=_signature(row.enrolment.person.name),
    )
    Attempt.objects.filter(pk=attempt.pk).update(data={"met": met})
    add_signed_time(attempt=attempt, source=f"signed {made.public_id}", until=made.at, minutes=made.minutes)


def _ahead(today: date, bosuns: list[Person], dice: random.Random) -> None:
    """Three of those who have it ahead have read what comes before; two ask, one of them after a first look."""
    steps = list(
        Step.objects.filter(edition__course__title="Mooring lines and snap-back", edition__state="released")
        .select_related("module", "version")
        .order_by("pk")
    )
    task = next(step for step in steps if step.module.title == TASK)
    reading = next(step for step in steps if step.module.title == "Lines under load")
    # Whoever is still to come stands on no deck yet.
    here = active_on(today).values("person")
    places = Enrolment.objects.filter(
        edition=task.edition_id, completed_at=None, closed_on=None, begun_at=None, person__in=here
    )
    ahead = places.select_related("person", "course", "edition").order_by("person__family_name", "pk")
    # Who learns in the demo is among them, and who is aboard with them, so that one master has several to sign.
    ship = Placement.objects.known_now().filter(to_day=None, person__given_name="Jun", person__family_name="Pellam")
    aboard = set(
        Placement.objects.known_now().filter(to_day=None, unit__in=ship.values("unit")).values_list("person", flat=True)
    )
    chosen = sorted(ahead, key=lambda place: (place.person.account_id is None, place.person_id not in aboard))[:3]
    for number, place in enumerate(chosen):
        with clock.pinned(at(today - timedelta(days=3), 10, 5 * number)):
            finish_step(attempt=begin_step(enrolment=place, step=reading, by=BY), score=None, by=BY)
            attempt = begin_step(enrolment=place, step=task, by=BY)
        if number == 0:
            with clock.pinned(at(today - timedelta(days=2), 16, 40)):
                _first_look(place, task, bosuns[0], dice)
        if number < 2:
            with clock.pinned(at(today - timedelta(days=1), 18, 10 + number)):
                words = ("The heaving line once more, tomorrow at Osier?", "I am on the early boat all week.")[number]
                ask_for_sign_off(attempt=attempt, words=words, by=BY)


def _first_look(place: Enrolment, task: Step, bosun: Person, dice: random.Random) -> None:
    given = Given(
        key=_key(dice),
        day=clock.today(),
        met=frozenset({"line1", "line2", "line3", "line6"}),
        not_yet=frozenset({"line4"}),
        minutes=25,
        note="Good eyes. Throw from the hip, not from the shoulder, and let the coil run.",
        signature=_signature(bosun.name),
        signature_of_learner=_signature(place.person.name),
    )
    by = bosun.account or Machine(bosun.name)
    sign_off(enrolment=place, step=task, given=given, by=by)


def _key(dice: random.Random) -> str:
    return UUID(int=dice.getrandbits(128)).hex


def _signature(name: str) -> list[list[list[int]]]:
    """Something that somebody of that name may draw."""
    dice = random.Random(name)  # noqa: S311 - made-up data
    strokes, x = [], 90
    for part in name.split():
        stroke = []
        for _ in range(len(part) * 2):
            x += dice.randint(12, 26)
            stroke.append([min(x, 960), 250 + dice.choice((-1, 1)) * dice.randint(10, 90)])
        strokes.append(stroke)
        x += 40
    return strokes
