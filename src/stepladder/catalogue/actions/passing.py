"""Pointing things out: to somebody, with a word; and to many, on the noticeboard."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.switches import is_on
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import PassedOn, Posted
from stepladder.catalogue.notices import PASSED_ON, path_of_thing
from stepladder.catalogue.permissions import may_find
from stepladder.catalogue.switching import PASSING
from stepladder.courses.models import Course, CourseState, Path
from stepladder.courses.offers import kept_reach
from stepladder.journal.actions import Actor, Named, record
from stepladder.notices.actions import Message, tell
from stepladder.people.models import Person

__all__ = ["MOST_PEOPLE", "open_passed", "pass_on", "post", "take_down"]

# Whoever has more people in mind asks for the noticeboard.
MOST_PEOPLE = 60


@transaction.atomic
def pass_on(*, person: Person, thing: Course | Path, to: Sequence[Person], words: str, by: Actor) -> list[Person]:
    """Point a thing out to people, with a word; who was told now. Who was told of it before by the same is not told again.

    Raises CatalogueError where one of them may not find it: then nobody is told.
    """
    policy.require(by, "learn", person)
    if not is_on(PASSING.name):
        raise CatalogueError("Your organisation does not want things to be passed on.")
    others = [one for one in dict.fromkeys(to) if one != person]
    if not others:
        raise CatalogueError("Say to whom.", "to")
    if len(others) > MOST_PEOPLE:
        raise CatalogueError(
            f"These are {len(others)} people; {MOST_PEOPLE} are the most. An administrator can put it on the noticeboard.",
            "to",
        )
    if not may_find([person], thing):
        raise CatalogueError("You may not find it yourself, so you cannot pass it on.")
    able = set(may_find(others, thing))
    if unable := [one for one in others if one not in able]:
        names = ", ".join(one.name for one in unable[:5])
        more = f" and {len(unable) - 5} more" if len(unable) > 5 else ""
        who = f"Ask {thing.binder.owner.name}, who keeps it, to let them, or an administrator."
        raise CatalogueError(f"{names}{more} may not find “{thing.title}”. {who}", "to")
    of = {"course": thing} if isinstance(thing, Course) else {"path": thing}
    told = []
    for one in others:
        _, is_new = PassedOn.objects.get_or_create(
            by=person, to=one, **of, defaults={"words": words[:300], "at": clock.now()}
        )
        if is_new:
            told.append(one)
    fields = {"name": person.name, "title": thing.title, "words": words}
    tell(PASSED_ON.name, [Message(one, path_of_thing(thing), fields) for one in told])
    if told:
        record(
            "passed_on", by=by, about=_named(thing), data={"count": len(told), "to": [one.public_id for one in told]}
        )
    return told


def _named(thing: Course | Path) -> Named:
    return Named("course" if isinstance(thing, Course) else "path", thing.public_id, thing.title)


@transaction.atomic
def open_passed(*, person: Person, thing: Course | Path, by: Actor) -> None:
    """Somebody looks at what was passed on to them. Theirs alone: no entry is written."""
    policy.require(by, "learn", person)
    rows = PassedOn.objects.filter(to=person, opened_at__isnull=True)
    rows = rows.filter(course=thing) if isinstance(thing, Course) else rows.filter(path=thing)
    rows.update(opened_at=clock.now())


@transaction.atomic
def post(
    *,
    thing: Course | Path,
    words: str,
    reach: Mapping[str, Any] | None,
    from_day: date,
    to_day: date,
    by: Actor,
    posted: Posted | None = None,
) -> Posted:
    """Put a thing on the noticeboard between two days, for a reach (None: whoever may find it).

    *posted*: what is there already, said otherwise. Raises CatalogueError.
    """
    policy.require(by, "keep the noticeboard", posted)
    if thing.state != CourseState.RELEASED:
        raise CatalogueError(f"“{thing.title}” is not released: nobody could open it.", "thing")
    if to_day < from_day:
        raise CatalogueError("It would come down before it goes up. Choose a later last day.", "to_day")
    if not words.strip():
        raise CatalogueError("Say in a sentence why it should be seen.", "words")
    row = posted or Posted()
    row.course, row.path = (thing, None) if isinstance(thing, Course) else (None, thing)
    row.words, row.from_day, row.to_day, row.by_name = words.strip()[:300], from_day, to_day, by.name
    row.reach = kept_reach(reach) if reach is not None else None
    row.save()
    record("post", by=by, about=_named(thing), data={"from": str(from_day), "to": str(to_day)})
    return row


@transaction.atomic
def take_down(*, posted: Posted, by: Actor) -> None:
    """From today on it is no longer on the noticeboard."""
    policy.require(by, "keep the noticeboard", posted)
    thing = posted.thing
    posted.delete()
    record("take_down", by=by, about=_named(thing))
