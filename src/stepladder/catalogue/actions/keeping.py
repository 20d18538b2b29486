"""Following topics, putting things by, rating what was done."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.switches import is_on
from stepladder.assignments.paths import climbs
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Following, Kept, Rating
from stepladder.catalogue.switching import RATINGS
from stepladder.core.requirements import COVERED
from stepladder.courses.models import Course, Path
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.models import Attempt, Completion
from stepladder.people.models import Person
from stepladder.topics.models import Topic

__all__ = ["follow", "keep", "may_rate", "rate"]

MOST_WORDS = 2_000


@transaction.atomic
def follow(*, person: Person, topic: Topic, is_on: bool, by: Actor) -> None:
    """Somebody follows a topic from now on, or no longer. Theirs alone: no entry is written."""
    policy.require(by, "learn", person)
    if is_on:
        Following.objects.get_or_create(person=person, topic=topic)
    else:
        Following.objects.filter(person=person, topic=topic).delete()


@transaction.atomic
def keep(*, person: Person, thing: Course | Path, is_on: bool, by: Actor) -> None:
    """Somebody puts a thing by for later, or no longer. Theirs alone: no entry is written."""
    policy.require(by, "learn", person)
    of = {"course": thing} if isinstance(thing, Course) else {"path": thing}
    if is_on:
        Kept.objects.get_or_create(person=person, **of, defaults={"at": clock.now()})
    else:
        Kept.objects.filter(person=person, **of).delete()


def may_rate(person: Person, thing: Course | Path) -> bool:
    """Whether somebody completed it; of a module by itself, whether they opened it. Rule: 14."""
    if isinstance(thing, Path):
        return any(
            climb.edition.path_id == thing.pk and climb.requirement.status in COVERED
            for climb in climbs(people=[person.pk], day=clock.today())
        )
    if (
        thing.alone_id is not None
        and Attempt.objects.filter(enrolment__person=person, enrolment__course=thing).exists()
    ):
        return True
    return Completion.objects.known_now().filter(person=person, course=thing).exists()


@transaction.atomic
def rate(*, person: Person, thing: Course | Path, points: int, words: str, by: Actor) -> None:
    """What somebody gives a thing that they did, once, and changed freely; 0 takes it back. Raises CatalogueError."""
    policy.require(by, "learn", person)
    of = {"course": thing} if isinstance(thing, Course) else {"path": thing}
    if points == 0:
        Rating.objects.filter(person=person, **of).delete()
        return
    if not is_on(RATINGS.name):
        raise CatalogueError("Your organisation does not want ratings.")
    if not may_rate(person, thing):
        raise CatalogueError(f"Whoever has done “{thing.title}” rates it. Rate it when you have.")
    if not 1 <= points <= 5:
        raise CatalogueError("A rating is from 1 to 5.", "points")
    if len(words) > MOST_WORDS:
        raise CatalogueError(f"These are {len(words)} letters; {MOST_WORDS} are the most.", "words")
    Rating.objects.update_or_create(person=person, **of, defaults={"points": points, "words": words, "at": clock.now()})
    kind = "course" if isinstance(thing, Course) else "path"
    record("rate", by=by, about=Named(kind, thing.public_id, thing.title), data={"points": points})
