"""A quiz of twenty questions: many people hand it in at once, what the answers of many tell, and a large package of questions."""

from __future__ import annotations

import io
import random
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from functools import partial
from typing import TypeVar

from django.conf import settings
from django.db import connection, connections, transaction
from django.test.utils import override_settings
from django_tasks_db.models import DBTaskResult

from bench import check, company
from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.models import AssignmentRule
from stepladder.config.database.base import DatabaseWrapper
from stepladder.config.database.turns import Turns
from stepladder.core.questions.plain_text import read_text
from stepladder.core.questions.qti import write_package
from stepladder.core.quizzes import Pick
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.journal.models import Entry
from stepladder.learning.models import Attempt, Enrolment, StepDone
from stepladder.library.actions import create_binder
from stepladder.library.models import Binder, ModuleVersion
from stepladder.people.models import Person
from stepladder.quizzes.actions.banks import add_questions, create_bank
from stepladder.quizzes.actions.papers import answer_question, begin_paper, hand_in_paper
from stepladder.quizzes.actions.plans import add_picks, create_quiz, set_conditions
from stepladder.quizzes.bringing import read_file
from stepladder.quizzes.models import Answer, Paper, QuizVersion
from stepladder.quizzes.releasing import release_quiz
from stepladder.quizzes.settling_tasks import settle_paper
from stepladder.quizzes.told import told_of
from stepladder.web.models import SentForm

QUESTIONS, THREADS = 20, 8
T = TypeVar("T")
QUEUE = {"BACKEND": "django_tasks_db.DatabaseBackend"}


def run(people: int, attempts: int, questions: int) -> list[str]:
    """Lines of what it came to: so many hand in at once; so many attempts are analysed; so many questions come in."""
    company.people(people, *company.found(20))
    owner = company.administrator()
    binder = create_binder(name="Galley", owner=owner, is_shared=True, by=company.BY)
    version = _quiz(binder)
    papers = _begun(version)
    # What follows from a hand-in is the worker's, as it is served.
    with override_settings(TASKS=settings.TASKS | {"default": {**QUEUE, "QUEUES": ["default", "now", "bulk", "mail"]}}):
        handed_in = _handing_in(papers)
    return [*handed_in, *_analysed(version, attempts), *_brought_in(binder, questions)]


def _questions(count: int) -> str:
    return "\n\n".join(
        f"Topic: T{n % 10}\n\nOne. Question {n}?\nright: This one\nwrong: That one {n}\nwrong: Another"
        for n in range(count)
    )


def _quiz(binder: Binder) -> ModuleVersion:
    bank = create_bank(binder=binder, name="Galley", by=company.BY)
    add_questions(bank=bank, questions=read_text(_questions(40)).questions, by=company.BY)
    quiz = create_quiz(binder=binder, title="Galley", by=company.BY)
    add_picks(quiz=quiz, section=0, picks=[Pick(bank=bank.public_id, count=QUESTIONS)], by=company.BY)
    set_conditions(quiz=quiz, conditions={"minutes": 30, "pass_mark": "50"}, by=company.BY)
    return release_quiz(quiz=quiz, by=company.BY)


def _begun(version: ModuleVersion) -> list[Paper]:
    """Everybody has it before them, answered."""
    course = courses.create_course(title="Galley", binder=version.module.binder, by=company.BY)
    courses.edit_edition(course=course, revision=None, summary="To be fit for it.", by=company.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[version.module], by=company.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=company.BY)
    rule = AssignmentRule(
        reach={"in": {"kind": "all", "parts": []}}, start=clock.today(), due_trigger="opening", due_days=30
    )
    assigning.assign(course=course, name="Galley", message="", rule=rule, by=company.BY)
    step = course.editions.get().steps.get()
    now, papers = clock.now(), []
    with transaction.atomic():
        for place in Enrolment.objects.select_related("person", "course"):
            Enrolment.objects.filter(pk=place.pk).update(begun_at=now)
            attempt = Attempt.objects.create(
                enrolment=place, module=step.module, version=step.version, begun_at=now, last_at=now
            )
            papers.append(begin_paper(attempt=attempt, by=company.BY))
        Answer.objects.all().update(given=0, chosen=0, share="1", saved_at=now)
    return papers


def _handing_in(papers: list[Paper]) -> list[str]:
    """As they come when a class ends: eight at a time, each with the last answer right before."""
    _sync()
    bare = sorted(_timed(partial(_insert, f"t{n}")) for n in range(200))
    inserts, last_insert = _at_once([f"u{n}" for n in range(len(papers))], _insert)
    answers, last_answer = _at_once(papers, _answer)
    took, whole = _at_once(papers, lambda paper: hand_in_paper(paper=paper, by=company.BY))
    check(Paper.objects.filter(handed_in_at__isnull=False).count() == len(papers), "somebody's was not handed in")
    check(Answer.objects.filter(place=1, given=1).count() == len(papers), "an answer was lost")
    waiting = DBTaskResult.objects.filter(task_path__endswith="settle_paper").count()
    check(waiting == len(papers), "what follows a hand-in is not handed over")
    few, by = papers[:50], [company.BY.public_id, company.BY.name]
    counted = _timed(lambda: [settle_paper.func(paper.pk, by) for paper in few])
    check(Entry.objects.filter(verb="hand_in").count() == len(few), "a hand-in is not in the journal")
    check(StepDone.objects.known_now().count() == len(few), "a step was not done")
    alone = sorted(_alone(papers[0], 100))
    return [
        f"{len(papers):,} people gave an answer, {THREADS} at a time: all in {last_answer:.0f} s; half within "
        f"{1000 * answers[len(answers) // 2]:.0f} ms",
        f"{len(papers):,} people handed in a quiz of {QUESTIONS} questions, {THREADS} at a time: all in "
        f"{whole:.0f} s (aim 60), no answer lost; half within {1000 * took[len(took) // 2]:.0f} ms, 95 of 100 within "
        f"{1000 * _late(took):.0f} ms, waiting for each other",
        f"as many bare inserts, as durable, {THREADS} at a time: all in {last_insert:.0f} s; 95 of 100 within "
        f"{1000 * _late(inserts):.1f} ms: ratio {_late(took) / _late(inserts):.1f} (aim 4)",
        f"what follows, up to the completion, by the worker: {1000 * counted / len(few):.0f} ms each",
        f"one alone: 95 of 100 within {1000 * alone[94]:.1f} ms; a bare insert, as durable: 95 of 100 within {1000 * bare[189]:.1f} ms: "
        f"ratio {alone[94] / bare[189]:.1f} (aim 4)",
    ]


def _late(took: Sequence[float]) -> float:
    """Within which 95 of 100 are, the shortest first."""
    return took[len(took) * 95 // 100]


def _insert(token: str) -> None:
    with transaction.atomic():
        SentForm.objects.create(token=token, answer="x")


def _answer(paper: Paper) -> None:
    answer_question(attempt=paper.attempt, place=1, given=1, is_set_aside=False, revision=0, tab="a", by=company.BY)


def _at_once(cases: Sequence[T], act: Callable[[T], object]) -> tuple[list[float], float]:
    """How long each took, the shortest first, and all of them together; durable, in threads that take turns, as it is served."""
    took: list[float] = []
    lock, kept = threading.Lock(), threading.local()
    opened = []

    def one(case: T) -> None:
        if not hasattr(kept, "connection"):
            _sync()
            kept.connection = connections["default"]
            # Closed at the end, by another thread than its own.
            kept.connection.inc_thread_sharing()
            opened.append(kept.connection)
        seconds = _timed(partial(act, case))
        with lock:
            took.append(seconds)

    DatabaseWrapper.turns = Turns()
    began = time.perf_counter()
    with ThreadPoolExecutor(THREADS) as pool:
        list(pool.map(one, cases))
    whole = time.perf_counter() - began
    DatabaseWrapper.turns = None
    for one_opened in opened:
        one_opened.close()
    return sorted(took), whole


def _alone(paper: Paper, times: int) -> Iterator[float]:
    """Further attempts of one person, handed in with nobody beside."""
    for _ in range(times):
        attempt = Attempt.objects.filter(enrolment=paper.attempt.enrolment_id).order_by("-number")[0]
        again = begin_paper(attempt=attempt, by=company.BY)
        yield _timed(partial(hand_in_paper, paper=again, by=company.BY))


def _sync() -> None:
    """As the application is served: what is committed is on the disk."""
    with connection.cursor() as cursor:
        cursor.execute("PRAGMA synchronous=FULL")


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began


def _analysed(version: ModuleVersion, count: int) -> list[str]:
    """Attempts at it past the acts that make one: what is measured on them is reading."""
    quiz = QuizVersion.objects.get(version=version)
    wordings = list(quiz.pool.values_list("wording", flat=True))
    dice = random.Random(3)  # noqa: S311 - the same numbers each time
    Person.objects.bulk_create(
        (
            Person(employee_number=f"M{n:06d}", given_name=f"More{n % 97}", family_name=f"Family{n}")
            for n in range(count)
        ),
        batch_size=500,
    )
    now = clock.now()
    course = Enrolment.objects.first().course  # type: ignore[union-attr]
    edition = course.editions.get()
    with transaction.atomic():
        new = Person.objects.exclude(enrolments__course=course)[:count]
        places = Enrolment.objects.bulk_create(
            (
                Enrolment(person=one, course=course, edition=edition, opened_on=clock.today(), completed_at=now)
                for one in new
            ),
            batch_size=500,
        )
        attempts = Attempt.objects.bulk_create(
            (
                Attempt(enrolment=one, module=version.module, version=version, begun_at=now, last_at=now, ended_at=now)
                for one in places
            ),
            batch_size=500,
        )
        papers = Paper.objects.bulk_create(
            (
                Paper(attempt=one, quiz=quiz, begun_at=now, handed_in_at=now, score=Fraction(1, 2), has_passed=True)
                for one in attempts
            ),
            batch_size=500,
        )
        Answer.objects.bulk_create(
            (
                Answer(
                    paper=paper, place=place, section=0, points=1, wording_id=wording, given=0, chosen=(chosen := dice.randrange(3)),
                    share=Fraction(int(chosen == 0)),
                )
                for paper in papers
                for place, wording in enumerate(dice.sample(wordings, QUESTIONS), 1)
            ),
            batch_size=500,
        )  # fmt: skip
    took = _timed(lambda: check(told_of(version.module).count >= count, "some attempts were not looked at"))
    return [f"what {Paper.objects.count():,} attempts with {Answer.objects.count():,} answers tell: {took:.1f} s"]


def _brought_in(binder: Binder, count: int) -> list[str]:
    package = write_package(read_text(_questions(count)).questions, "3.0")
    began = time.perf_counter()
    brought = read_file(io.BytesIO(package), "questions.zip")
    read = time.perf_counter() - began
    check(len(brought.read.questions) == count, "some questions were not read")
    bank = create_bank(binder=binder, name="Many", by=company.BY)
    kept = _timed(lambda: add_questions(bank=bank, questions=brought.read.questions, by=company.BY))
    return [f"{count:,} questions of QTI 3.0: read in {read:.1f} s, kept in {kept:.1f} s"]
