"""Marram Sound Ferries: binders, modules from real files, and the courses made of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from pathlib import Path

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.config.demo import deck, lessons, quizzes
from stepladder.config.demo.crew import BY, at
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.models import Course
from stepladder.courses.references import add_reference
from stepladder.courses.topics import set_topics
from stepladder.library import actions, storage
from stepladder.library.copying import note_version
from stepladder.library.deriving import process, work_out
from stepladder.library.editing import edit_module
from stepladder.library.folders import make_folder
from stepladder.library.links import create_link, prepare_link
from stepladder.library.models import Binder, Module, Upload
from stepladder.library.sorting import move_modules
from stepladder.library.tasks import work_out_upload
from stepladder.topics.actions import add_topic
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names

__all__ = ["make_courses", "make_latest", "make_library"]

FILES = Path(__file__).resolve().parent / "files"
# How many days before the load the library, and then the courses, were brought in.
LIBRARY_AGE, COURSES_AGE = 760, 740

# file, title, binder, minutes (0: as worked out), tags
MODULES: list[tuple[str, str, str, int, str]] = [
    ("muster-list.pdf", "Muster list of your vessel", "Deck", 6, "fire, muster"),
    ("the-first-two-minutes.mp4", "The first two minutes", "Deck", 1, "fire, alarm"),
    ("extinguishers-and-blankets.zip", "Extinguishers and blankets", "Deck", 25, "fire"),
    ("guiding-a-crowd.zip", "Guiding a crowd", "Passengers", 20, "passengers, muster"),
    ("passengers-on-the-stair.mp4", "Passengers on the stair", "Passengers", 1, "passengers"),
    ("entering-closed-spaces.zip", "Entering closed spaces", "Deck", 30, "permits, engine room"),
    ("mooring-lines.pdf", "Lines under load", "Deck", 8, "mooring"),
    ("sea-survival.pdf", "Sea survival, the booklet", "Deck", 10, "survival"),
    ("vehicle-deck.pdf", "The vehicle deck plan", "Deck", 6, "loading"),
    ("radio-words.mp3", "Radio words, spoken", "Deck", 1, "radio"),
    ("radio-words.pdf", "Radio words, the card", "Deck", 3, "radio"),
    ("galley-handbook.pdf", "Galley hygiene handbook", "Galley", 10, "hygiene"),
    ("ticket-data.pdf", "Handling ticket data, the rules", "Office", 8, "data"),
    ("yard-induction.pdf", "Yard induction, the leaflet", "Yard", 6, "induction, partners"),
    ("season-briefing.pdf", "New season, what is new", "Office", 4, "season"),
    ("dangerous-goods.docx", "Carrying dangerous goods", "Deck", 4, "loading, dangerous goods"),
    ("lashing-a-lorry.pptx", "Lashing a lorry, the slides", "Deck", 5, "loading, lashing"),
    ("car-deck-weights.xlsx", "What the car decks carry", "Deck", 3, "loading"),
    ("where-a-line-goes.svg", "Where a parting line goes", "Deck", 1, "mooring"),
    ("words-on-the-deck.md", "Words on the deck", "Deck", 3, "mooring, radio"),
    ("mustering-on-the-dunlin.png", "Mustering on the Dunlin", "Passengers", 1, "muster"),
    ("terminals.zip", "Our three terminals", "Passengers", 4, "terminals"),
]


# a topic, and those below it
TOPICS: dict[str, tuple[str, ...]] = {
    "Safety": ("Fire", "Survival", "Closed spaces"),
    "Seamanship": ("Mooring", "Loading", "Radio"),
    "Passengers": ("Muster", "Terminals"),
    "Working here": ("Hygiene", "Data", "Partners"),
}
# tag → the topic that what has it carries
ABOUT = {
    "fire": "Fire", "survival": "Survival", "permits": "Closed spaces", "mooring": "Mooring", "loading": "Loading",
    "radio": "Radio", "muster": "Muster", "terminals": "Terminals", "hygiene": "Hygiene", "data": "Data",
    "partners": "Partners",
}  # fmt: skip

# binder, folder, the modules in it
FOLDERS: list[tuple[str, str, list[str]]] = [
    (
        "Deck",
        "Fire",
        ["Muster list of your vessel", "The first two minutes", "Extinguishers and blankets", "How a fire grows"],
    ),
    ("Deck", "Loading", ["The vehicle deck plan", "Lashing a lorry, the slides", "What the car decks carry"]),
    ("Deck", "Mooring", ["Lines under load", "Where a parting line goes", "Words on the deck"]),
]


@dataclass(frozen=True)
class Plan:
    """A course of the demo: its steps by module title, and its terms in months, days of window and of grace."""

    title: str
    binder: str
    summary: str
    preparation: Sequence[str]
    main: Sequence[str]
    months: int = 0
    window: int = 0
    grace: int = 0
    calendar_year: bool = False
    optional: Sequence[str] = ()
    first: Sequence[str] = ()
    outcome: str = ""
    # Modules kept beside it.
    beside: Sequence[str] = ()
    entry: str = ""


PLANS = [
    Plan(
        "Sea survival basics",
        "Deck",
        "What keeps you alive in cold water until somebody comes.",
        [],
        ["Sea survival, the booklet"],
        24,
        90,
        0,
        outcome="keep themselves alive in cold water until somebody comes.",
    ),
    Plan(
        "Fire on board",
        "Deck",
        "What to do in the first two minutes, and who does it: alarm, boundary cooling, the muster of passengers.",
        ["Muster list of your vessel"],
        [lessons.TITLE, "The first two minutes", quizzes.FIRE, "Extinguishers and blankets"],
        12,
        60,
        14,
        optional=[lessons.TITLE, quizzes.FIRE],
        outcome="raise the alarm, close the right doors and take passengers to their muster point.",
    ),
    Plan(
        "Guiding a crowd",
        "Passengers",
        "A calm voice in the right place moves two hundred people.",
        ["Passengers on the stair"],
        ["Guiding a crowd"],
        24,
        60,
        30,
        outcome="move two hundred people down a stair without raising their voice.",
    ),
    Plan(
        "Mooring lines and snap-back",
        "Deck",
        "Where a parting line goes, and where you are then.",
        [],
        ["Lines under load", deck.TASK],
        optional=["Where a parting line goes", "Words on the deck", quizzes.MOORING],
        outcome="stand where a parting line does not go.",
    ),
    Plan(
        "Entering closed spaces",
        "Deck",
        "Vent, measure, watch: nobody goes below without all three.",
        [],
        ["Entering closed spaces"],
        12,
        60,
        0,
        outcome="say who may go below, and when nobody may.",
        entry=quizzes.SPACES,
    ),
    Plan(
        "Loading the vehicle deck",
        "Deck",
        "Signals, gaps and lashings, from the first lorry to the last motorbike.",
        [],
        ["The vehicle deck plan"],
        36,
        60,
        30,
        optional=["Lashing a lorry, the slides", "What the car decks carry", "Carrying dangerous goods"],
        outcome="wave a lorry on and lash it down.",
    ),
    Plan(
        "Radio words",
        "Deck",
        "What one says on the radio, and what nobody says twice.",
        [],
        ["Radio words, spoken", "Radio words, the card"],
        beside=["Words on the deck"],
        outcome="be understood on the radio the first time.",
    ),
    Plan(
        "Galley hygiene",
        "Galley",
        "Clean hands, cold fridges, hot pies, and no guessing about allergens.",
        [],
        ["Galley hygiene handbook", quizzes.GALLEY],
        36,
        90,
        30,
        outcome="run a shift in a galley that an inspector may walk into.",
    ),
    Plan(
        "Handling ticket data",
        "Office",
        "Whose the names on the list are, and what we do with them.",
        [],
        ["Handling ticket data, the rules"],
        window=60,
        calendar_year=True,
        outcome="tell what may leave the office, and what may not.",
    ),
    Plan(
        "Yard induction",
        "Yard",
        "What everybody needs who comes through the gate, our own people and partners’.",
        [],
        ["Yard induction, the leaflet"],
        24,
        30,
        0,
        outcome="walk through the yard alone.",
    ),
    Plan("New season briefing", "Office", "What changes with the spring timetable.", [], ["New season, what is new"]),
    Plan(
        "Muster warden",
        "Passengers",
        "Counting, calling and guiding at a muster point, on any island.",
        ["Muster list of your vessel"],
        ["Guiding a crowd"],
        24,
        60,
        30,
        optional=["Passengers on the stair", "Today’s tides at our piers"],
        first=["Guiding a crowd"],
        outcome="count, call and guide at any muster point.",
    ),
]


def make_library(today: date) -> None:
    """Binders, and modules with their files."""
    author = Account.objects.get(name="Bo Tarn")
    administrator = Account.objects.get(name="Ines Okoro")
    binders: dict[str, Binder] = {}
    with clock.pinned(at(today - timedelta(days=LIBRARY_AGE))):
        for name, owner, is_shared in (
            ("Deck", author, True),
            ("Passengers", author, True),
            ("Galley", administrator, True),
            ("Office", administrator, True),
            ("Yard", administrator, False),
        ):
            binders[name] = actions.create_binder(name=name, owner=owner, is_shared=is_shared, by=BY)
        # Whoever writes courses sees what the yard has, and asks before using it.
        actions.set_seen_by(binder=binders["Yard"], is_open=True, seen_by=None, by=BY)
        for name, below in TOPICS.items():
            top = add_topic(name=name, by=BY)
            for one in below:
                add_topic(name=one, parent=top, by=BY)
        for file, title, binder, minutes, tags in MODULES:
            _module(file, title, binders[binder], minutes, tags)
        tides = prepare_link(
            url="https://tides.marramsound.example/today",
            title="Today’s tides at our piers",
            description="Look at them before the first crossing.",
            minutes=2,
            done_when="confirmed",
        )
        create_link(binder=binders["Passengers"], worked=tides, by=BY)
        lessons.make_lesson(binders["Deck"], Account.objects.get(name="Bo Tarn"))
        quizzes.make_quizzes(binders)
        deck.make_task(binders["Deck"])
        for binder, name, titles in FOLDERS:
            folder = make_folder(binder=binders[binder], parent=None, name=name, by=BY)
            chosen = list(Module.objects.filter(title__in=titles).select_related("binder", "folder"))
            move_modules(modules=chosen, to=binders[binder], folder=folder, by=BY)


def _module(file: str, title: str, binder: Binder, minutes: int, tags: str) -> None:
    kind, material, worked = work_out(FILES / file, file)
    version = actions.create_module(
        binder=binder,
        kind=kind,
        worked=worked,
        original=storage.keep(material.path, material.content_type),
        file_name=file,
        by=BY,
    )
    process(version, lambda done, total: None)
    captions = (FILES / file).with_suffix(".vtt")
    if kind.takes_captions and captions.exists():
        actions.set_captions(version=version, text=captions.read_text(), by=BY)
    edit_module(
        module=version.module,
        revision=None,
        title=title,
        description=worked.description,
        minutes=minutes,
        tags=tags.split(", "),
        language="en",
        topics=_topics_of(tags),
        by=BY,
    )


def _topics_of(tags: str) -> list[str]:
    names = {ABOUT[tag] for tag in tags.split(", ") if tag in ABOUT}
    # In the list's order, as details have them; of two topics of one name the one below is meant.
    wanted = Topic.objects.filter(name__in=names).exclude(parent=None, below__isnull=False)
    found = set(wanted.values_list("public_id", flat=True))
    return [key for key in topic_names().words if key in found]


def _newer_version(module: Module, file: str, by: Account) -> None:
    _, material, worked = work_out(FILES / file, file)
    stored = storage.keep(material.path, material.content_type)
    version = actions.add_version(module=module, worked=worked, original=stored, file_name=file, by=by)
    note_version(version=version, note="The muster point on the Knot has moved aft", by=by)


def _refused_upload(binder: Binder, by: Account) -> None:
    """A package that was cut off on the way: really uploaded, and really refused."""
    whole = (FILES / "guiding-a-crowd.zip").read_bytes()
    upload = Upload.objects.create(
        account=by, binder=binder, file_name="crowd-refresher.zip", size=len(whole) // 2, received=len(whole) // 2
    )
    storage.incoming(upload).write_bytes(whole[: len(whole) // 2])
    work_out_upload.func(upload.pk)


def make_courses(today: date) -> None:
    """Twelve released courses, and a draft that still lacks something."""
    binders = {binder.name: binder for binder in Binder.objects.all()}
    modules = {module.title: module for module in Module.objects.all()}
    made: dict[str, Course] = {}
    with clock.pinned(at(today - timedelta(days=COURSES_AGE))):
        for plan in PLANS:
            made[plan.title] = _course(plan, binders, modules, made)
    with clock.pinned(at(today - timedelta(days=3), 14, 5)):
        draft = courses.create_course(title="Passengers with reduced mobility", binder=binders["Passengers"], by=BY)
        courses.add_steps(course=draft, part=Part.MAIN, modules=[modules["Passengers on the stair"]], by=BY)


def make_latest(today: date) -> None:
    """What came after the courses: a newer version of a module, and an upload that could not be used."""
    author = Account.objects.get(name="Bo Tarn")
    with clock.pinned(at(today - timedelta(days=9))):
        _newer_version(Module.objects.get(title="Muster list of your vessel"), "muster-list.pdf", author)
    with clock.pinned(at(today - timedelta(days=1), 16, 20)):
        _refused_upload(Binder.objects.get(name="Deck"), author)


def _course(plan: Plan, binders: dict[str, Binder], modules: dict[str, Module], made: dict[str, Course]) -> Course:
    course = courses.create_course(title=plan.title, binder=binders[plan.binder], by=BY)
    courses.edit_edition(course=course, revision=None, summary=plan.summary, outcome=plan.outcome, by=BY)
    courses.add_steps(course=course, part=Part.PREPARATION, modules=[modules[t] for t in plan.preparation], by=BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[modules[t] for t in plan.main], by=BY)
    courses.add_steps(
        course=course, part=Part.MAIN, modules=[modules[t] for t in plan.optional if t not in plan.main], by=BY
    )
    if plan.entry:
        courses.add_steps(course=course, part=Part.ENTRY, modules=[modules[plan.entry]], by=BY)
    draft = courses.draft_of(course)
    for step in draft.steps.filter(module__title__in=plan.optional):
        courses.edit_step(course=course, step=step, is_obligatory=False, weight=1, take_newest=False, by=BY)
    courses.set_terms(
        course=course,
        months=plan.months,
        days=0,
        is_calendar_year=plan.calendar_year,
        window_days=plan.window,
        grace_days=plan.grace,
        from_day=clock.today(),
        by=BY,
    )
    if plan.first:
        courses.set_relations(course=course, prerequisites=[made[t] for t in plan.first], satisfied_by=[], by=BY)
    carried = Topic.objects.filter(modules__steps__edition=draft).values_list("public_id", flat=True)
    set_topics(of=course, topics=set(carried), by=BY)
    for title in plan.beside:
        add_reference(course=course, module=modules[title], by=BY)
    courses.release_course(course=course, size="small", retake_by=None, by=BY)
    course.refresh_from_db()
    return course
