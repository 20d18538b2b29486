"""Question banks and quizzes: the galley quiz that everybody passed who touches food, one on fire, and one that people judge."""

from __future__ import annotations

import random
from collections.abc import Mapping
from datetime import date, timedelta
from fractions import Fraction
from pathlib import Path

from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.config.demo.crew import BY, at
from stepladder.config.demo.lessons import version_of
from stepladder.core.questions.plain_text import read_text
from stepladder.core.quizzes import Pick
from stepladder.courses.models import Step
from stepladder.learning.actions import begin_step
from stepladder.learning.models import Attempt, Enrolment, StepDone
from stepladder.library.editing import edit_module
from stepladder.library.models import Binder
from stepladder.quizzes.actions.banks import add_questions, create_bank
from stepladder.quizzes.actions.papers import answer_question, begin_paper, hand_in_paper
from stepladder.quizzes.actions.plans import add_picks, change_section, create_quiz, set_conditions
from stepladder.quizzes.asking import order_shown, question_of
from stepladder.quizzes.models import Allowed, Answer, Bank, Paper, Quiz
from stepladder.quizzes.releasing import release_quiz
from stepladder.quizzes.settling import judge

__all__ = ["FIRE", "GALLEY", "MOORING", "SPACES", "make_papers", "make_quizzes"]

FILES = Path(__file__).resolve().parent / "files" / "questions"
GALLEY, FIRE, MOORING = "The galley quiz", "Fire: do you remember?", "Say it on deck"
SPACES = "Closed spaces, for old hands"
# Dice of its own, so that what else the demo has stays as it is.
SEED = 29
# What is seen before one question of the fire quiz is asked.
FILM = {"What do you do first?": "The first two minutes"}
# The question that who knows the galley well gets wrong: what was taught once is not what the key says.
MISLEADING = "The probe reads 63 °C"


def _bank(file: str, name: str, binder: Binder, note: str, beside: Mapping[str, str] | None = None) -> Bank:
    """A bank of a file's questions; *beside* some of them a film: how the question begins → its title."""
    bank = create_bank(binder=binder, name=name, note=note, by=BY)
    read = read_text((FILES / file).read_text(encoding="utf-8"))
    assert not read.mistakes, read.mistakes
    for begins, title in (beside or {}).items():
        (asked,) = [one for one in read.questions if one.raw["text"].startswith(begins)]
        asked.raw["media"] = version_of(title)
    add_questions(bank=bank, questions=read.questions, by=BY)
    return bank


def _released(quiz: Quiz, tags: list[str], description: str) -> None:
    edit_module(
        module=quiz.module,
        revision=None,
        title=quiz.module.title,
        description=description,
        minutes=0,
        tags=tags,
        language="en",
        topics=[],
        by=BY,
    )
    release_quiz(quiz=quiz, by=BY)


def make_quizzes(binders: dict[str, Binder]) -> None:
    """The banks, from files in the plain-text form, and the quizzes that draw from them."""
    galley = _bank("galley.txt", "Galley hygiene", binders["Galley"], "For everybody who touches food.")
    quiz = create_quiz(binder=binders["Galley"], title=GALLEY, by=BY)
    for topic, count in (("Clean hands", 5), ("Cold chain", 6), ("Allergens", 4), ("Clean places", 5)):
        add_picks(quiz=quiz, section=0, picks=[Pick(bank=galley.public_id, topic=topic, count=count)], by=BY)
    said = {"minutes": 30, "attempts": 3, "pass_mark": "80", "shows": "right", "when": "passed", "pause_hours": 12}
    set_conditions(quiz=quiz, conditions=said, by=BY)
    _released(quiz, ["hygiene"], "Twenty questions, drawn anew for everybody.")

    fire = _bank("fire.txt", "Fire", binders["Deck"], "What everybody aboard knows about fire.", FILM)
    quiz = create_quiz(binder=binders["Deck"], title=FIRE, by=BY)
    change_section(quiz=quiz, section=0, do="set", said={"title": "What fire does", "intro": "", "weight": None}, by=BY)
    add_picks(quiz=quiz, section=0, picks=[Pick(bank=fire.public_id, difficulty="easy", count=4)], by=BY)
    change_section(quiz=quiz, section=0, do="add", by=BY)
    intro = "These take a moment longer, and bring two points each."
    change_section(quiz=quiz, section=1, do="set", said={"title": "What you do", "intro": intro, "weight": None}, by=BY)
    add_picks(quiz=quiz, section=1, picks=[Pick(2, bank=fire.public_id, difficulty="medium", count=3)], by=BY)
    set_conditions(quiz=quiz, conditions={"minutes": 10, "pass_mark": "75", "shows": "right"}, by=BY)
    _released(quiz, ["fire"], "Seven questions in ten minutes, as often as you like.")

    mooring = _bank("mooring.txt", "Mooring, in your own words", binders["Deck"], "Judged by people.")
    quiz = create_quiz(binder=binders["Deck"], title=MOORING, by=BY)
    picks = [Pick(4, question=key) for key in mooring.questions.order_by("pk").values_list("public_id", flat=True)]
    add_picks(quiz=quiz, section=0, picks=picks, by=BY)
    set_conditions(
        quiz=quiz, conditions={"pass_mark": "50", "is_mixed": False, "shows": "right", "marked_twice": 0}, by=BY
    )
    _released(quiz, ["mooring"], "Two answers in your own words. The bosuns read them.")

    spaces = _bank("spaces.txt", "Closed spaces", binders["Deck"], "For who has been below many times.")
    quiz = create_quiz(binder=binders["Deck"], title=SPACES, by=BY)
    add_picks(quiz=quiz, section=0, picks=[Pick(bank=spaces.public_id, count=6)], by=BY)
    said = {"minutes": 15, "attempts": 1, "pass_mark": "100", "shows": "score", "is_one_at_a_time": True}
    set_conditions(quiz=quiz, conditions=said, by=BY)
    _released(
        quiz, ["permits"], "Six questions, one at a time, once. Who has all right need not take the course again."
    )


def make_papers(today: date) -> None:
    """What was answered in the galley quiz by those who passed it, and four hand-ins that wait for a marker."""
    dice = random.Random(SEED)  # noqa: S311 - made-up data
    steps = Step.objects.filter(module__title=GALLEY).select_related("version", "module")
    for step in steps:
        done = StepDone.objects.known_now().filter(module=step.module, enrolment__edition=step.edition_id)
        for row in done.select_related("enrolment__person", "enrolment__course").order_by("pk"):
            _passed(row, step, dice)
    _waiting(today, dice)


def _passed(row: StepDone, step: Step, dice: random.Random) -> None:
    """A paper in keeping with the score that somebody has."""
    begun = row.at - timedelta(minutes=dice.randint(11, 26))
    attempt = Attempt.objects.create(
        enrolment=row.enrolment, module=step.module, version=step.version, begun_at=begun, last_at=row.at, seconds=900
    )
    with clock.pinned(begun):
        paper = begin_paper(attempt=attempt, by=BY, drawing=dice)
    answers = list(paper.answers.select_related("wording"))
    wrong = round(len(answers) * (1 - (row.score or Fraction(1))))
    for answer in answers:
        answer.given, answer.saved_at, answer.revision = _right(answer), begun + timedelta(minutes=answer.place // 2), 1
    # Who has but one wrong has the misleading one wrong; who has many wrong got others wrong.
    order = sorted(answers, key=lambda one: dice.random() + _luck(one, wrong))
    for answer in order[:wrong]:
        answer.given = _wrong(answer)
    for answer in answers:
        judge(answer)
    Answer.objects.bulk_update(answers, ["given", "chosen", "share", "saved_at", "revision"])
    Paper.objects.filter(pk=paper.pk).update(handed_in_at=row.at, score=row.score, has_passed=True)
    Attempt.objects.filter(pk=attempt.pk).update(ended_at=row.at, status="completed", score=row.score)


def _luck(answer: Answer, wrong: int) -> float:
    question = question_of(answer)
    if question.text.startswith(MISLEADING):
        return -2.0 if wrong <= 2 else 2.0
    return {"easy": 0.6, "hard": -0.2}.get(answer.wording.question.difficulty, 0.0)


def _right(answer: Answer) -> object:
    """What a page would send for the right answer, as it stands on the paper."""
    question, order = question_of(answer), order_shown(answer, question_of(answer))
    kind = question.kind.value
    places = {index: place for place, index in enumerate(order)}
    if kind == "one":
        return next(places[index] for index, choice in enumerate(question.choices) if choice.is_right)
    if kind == "several":
        return sorted(places[index] for index, choice in enumerate(question.choices) if choice.is_right)
    if kind in ("order", "match"):
        return [places[index] for index in range(len(order))]
    if kind == "number":
        return str(question.number)
    return question.is_true if kind == "true_false" else question.accepted[0]


def _wrong(answer: Answer) -> object:
    """A wrong answer that is worth nothing at all."""
    question, order = question_of(answer), order_shown(answer, question_of(answer))
    kind = question.kind.value
    if kind == "one":
        return [place for place, index in enumerate(order) if not question.choices[index].is_right][
            answer.place % 2 - 1
        ]
    if kind == "several":
        return [place for place, index in enumerate(order) if not question.choices[index].is_right]
    if kind in ("order", "match"):
        places = {index: place for place, index in enumerate(order)}
        return [places[(index + 1) % len(order)] for index in range(len(order))]
    return {"true_false": not question.is_true, "number": "4"}.get(kind, "the list on the wall")


TOLD = (
    (
        "“Kit – out of the bight – now!” Then I show where the line would go, with a rope on the quay.",
        "I stop everybody, tell the bridge, and we look at the other lines. The ends go into the store with a label.",
    ),
    (
        "I would tell the trainee that it is dangerous there because the line can part and comes back faster than one sees.",
        "Clear it away so that the next ship can moor, and tell the bosun at the end of the shift.",
    ),
    (
        "Out! Away from there! And afterwards: never stand where a line makes a bow.",
        "Nobody goes back in. Bridge on the radio. Photos, both ends kept, a line in the log.",
    ),
    (
        "Name first, then “step back”, then my hand on the shoulder if needed. The talk comes with the coffee.",
        "First the people: is everybody well? Then the bridge, then the other lines, then the log.",
    ),
)


def _waiting(today: date, dice: random.Random) -> None:
    """Four who did the course lately have said it in their own words; the bosuns have not read it yet."""
    step = (
        Step.objects.filter(module__title=MOORING, edition__state="released").select_related("module", "version").get()
    )
    done = Enrolment.objects.filter(edition=step.edition_id, completed_at__isnull=False).select_related(
        "person", "course", "edition"
    )
    for number, (place, told) in enumerate(zip(done.order_by("-completed_at", "pk")[:4], TOLD, strict=True)):
        with clock.pinned(at(today - timedelta(days=4 - number), 15, 10 + number)):
            attempt = begin_step(enrolment=place, step=step, by=BY)
            paper = begin_paper(attempt=attempt, by=BY, drawing=dice)
            for at_place, words in enumerate(told, 1):
                answer_question(
                    attempt=attempt,
                    place=at_place,
                    given=words,
                    is_set_aside=False,
                    revision=0,
                    tab="",
                    by=BY,
                    seconds=240,
                )
            hand_in_paper(paper=paper, by=BY)
    jun = Account.objects.get(name="Jun Pellam").person
    Allowed.objects.create(
        person=jun,
        extra_time=25,
        because="Reads more slowly in English than in Osier",
        by_name="Ines Okoro",
        at=at(today, 8),
    )
