"""Everything that writes training from outside and from before."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from django.db import transaction
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.courses.models import Course, Edition
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.actions import record_completion
from stepladder.learning.models import Completion
from stepladder.library.models import StoredFile
from stepladder.notices.actions import Message, tell
from stepladder.outside.errors import NotYours, OutsideError
from stepladder.outside.models import OutsideTraining
from stepladder.outside.notices import DECIDED
from stepladder.people.models import Person
from stepladder.web.templatetags.web import day as written

__all__ = ["OutsideSaid", "ask_outside", "decide_outside", "record_outside", "withdraw_outside"]

State = OutsideTraining.State


@dataclass(frozen=True)
class OutsideSaid:
    """What is said of some training: the course that it counts as, or a title of its own; the day; and what the paper says."""

    course: Course | None
    title: str
    day: date
    own_expiry: date | None = None
    provider: str = ""
    minutes: int | None = None
    note: str = ""
    document: StoredFile | None = None
    document_name: str = ""


@transaction.atomic
def record_outside(*, person: Person, said: OutsideSaid, by: Actor) -> OutsideTraining:
    """Write down what somebody learned elsewhere; it counts at once. Raises OutsideError."""
    policy.require(by, "change records", person)
    made = _make(person, said, by)
    _confirm(made, "", by)
    _record("record_outside", made, by)
    return made


@transaction.atomic
def ask_outside(*, person: Person, said: OutsideSaid, by: Actor) -> OutsideTraining:
    """Say what one learned elsewhere; it counts once it is confirmed. Raises OutsideError."""
    policy.require(by, "learn", person)
    made = _make(person, said, by)
    _record("ask_outside", made, by)
    return made


@transaction.atomic
def decide_outside(*, training: OutsideTraining, is_confirmed: bool, words: str, by: Actor) -> None:
    """Confirm what somebody asked for, or say why not; they are told. Raises OutsideError."""
    policy.require(by, "change records", training.person)
    if training.person.account_id is not None and training.person.account_id == getattr(by, "pk", None):
        raise NotYours
    words = words.strip()[:500]
    if not is_confirmed and not words:
        raise OutsideError("Say why it is not confirmed: the person reads it.", "words")
    _still_asked(training)
    if is_confirmed:
        _check(training.person, training.course, training.day)
        _confirm(training, words, by)
    else:
        training.state, training.words = State.REFUSED, words
        training.decided_at, training.decided_by = clock.now(), by.name
        training.save(update_fields=["state", "words", "decided_at", "decided_by"])
    _record("confirm_outside" if is_confirmed else "refuse_outside", training, by)
    fields = {
        "title": training.title,
        "outcome": "confirmed" if is_confirmed else "not confirmed",
        "decider": by.name,
        "words": words,
    }
    tell(DECIDED.name, [Message(training.person, reverse("records:own"), fields)])


@transaction.atomic
def withdraw_outside(*, training: OutsideTraining, by: Actor) -> None:
    """What one asked for is not to be looked at any more. Raises OutsideError."""
    policy.require(by, "learn", training.person)
    _still_asked(training)
    training.state = State.WITHDRAWN
    training.save(update_fields=["state"])
    _record("withdraw_outside", training, by)


def _still_asked(training: OutsideTraining) -> None:
    # Whoever reads it may be too late: somebody else decided meanwhile.
    training.refresh_from_db(fields=["state", "decided_by"])
    if training.state != State.ASKED:
        raise OutsideError(f"It does not wait any more: it is {training.get_state_display()} by now.")


def _make(person: Person, said: OutsideSaid, by: Actor) -> OutsideTraining:
    title = said.course.title if said.course else " ".join(said.title.split())
    if not title:
        raise OutsideError("Choose the course that it counts as, or write what it was.", "title")
    if said.day > clock.today():
        raise OutsideError("Nothing was learned on a day to come. Choose today or a day before.", "day")
    if said.own_expiry is not None and said.own_expiry < said.day:
        raise OutsideError("It would have run out before it was done. Choose a later day.", "own_expiry")
    _check(person, said.course, said.day)
    return OutsideTraining.objects.create(
        person=person,
        course=said.course,
        title=title[:160],
        day=said.day,
        own_expiry=said.own_expiry,
        provider=said.provider.strip()[:160],
        minutes=said.minutes,
        note=said.note.strip()[:2000],
        document=said.document,
        document_name=said.document_name[:255],
        asked_at=clock.now(),
        asked_by=by.name,
    )


def _check(person: Person, course: Course | None, day: date) -> None:
    """What is recorded already is not recorded once more."""
    if course is None:
        return
    if Completion.objects.known_now().filter(person=person, course=course, day=day).exists():
        raise OutsideError(f"“{course.title}” is recorded as completed on {written(day)} already.", "day")
    if _edition(course) is None:
        raise OutsideError(
            f"“{course.title}” was never released. Choose another course, or write what it was.", "course"
        )


def _edition(course: Course) -> Edition | None:
    """What somebody of that day has completed: the newest edition, as no other is asked for."""
    return course.editions.filter(state=Edition.State.RELEASED).order_by("-number").first()


def _confirm(training: OutsideTraining, words: str, by: Actor) -> None:
    training.state, training.words = State.CONFIRMED, words
    training.decided_at, training.decided_by = clock.now(), by.name
    if training.course is not None:
        edition = _edition(training.course)
        assert edition is not None, "asked before it is confirmed"
        training.completion = record_completion(
            person=training.person,
            course=training.course,
            edition=edition,
            day=training.day,
            own_expiry=training.own_expiry,
            by=by,
        )
    training.save(update_fields=["state", "words", "decided_at", "decided_by", "completion"])


def _record(verb: str, training: OutsideTraining, by: Actor) -> None:
    person = training.person
    data = {"title": training.title, "day": training.day.isoformat(), "training": training.public_id}
    record(verb, by=by, about=Named("person", person.public_id, person.name), data=data)
