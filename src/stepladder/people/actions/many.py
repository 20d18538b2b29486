"""One act on many people: moving, ending, leaving. One entry of the journal with all its rows, and one way back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.charts.models import Position, Unit
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.actions.changes import Changes
from stepladder.people.actions.placing import check_free, where
from stepladder.people.actions.rank import check_administrator_stays, holding_more
from stepladder.people.errors import NobodyLeft
from stepladder.people.models import Employment, Person, Placement
from stepladder.web.templatetags.web import day

__all__ = ["Done", "end_many", "leave_many", "move_many"]


@dataclass(frozen=True)
class Done:
    """How many it was done for, who was passed over and why, and the act's number in the journal."""

    count: int
    passed_over: list[str]
    act: int


@transaction.atomic
def move_many(
    *,
    people: Sequence[Person],
    unit: Unit,
    position: Position | None,
    keeps_position: bool,
    from_day: date,
    ends_present: bool,
    by: Actor,
) -> Done:
    """Place all of these people in a unit from a day on, at a position or at the one that each has.

    Whoever is not employed on the day, or is there already, is passed over and named. Raises NodeLocked, NobodyLeft.
    """
    check_free(unit, position, by)
    chosen, passed = _employed(people, from_day, by)
    present = _present([p.pk for p in chosen], from_day)
    # What they are in another part is not ended from this one.
    units = Unit.objects.filter(pk__in={p.unit_id for placements in present.values() for p in placements})
    mine = set(policy.visible(by, "place people in", units).values_list("pk", flat=True))
    changes = Changes()
    moved = []
    for person in chosen:
        placements = present.get(person.pk, [])
        at = _position_of(placements) if keeps_position else position
        # Named, not passed in silence: of forty people somebody wants to know why thirty-nine moved.
        if any(p.unit_id == unit.pk and p.position_id == (at.pk if at else None) for p in placements):
            passed.append(f"{person.name} is there already")
            continue
        for placement in placements if ends_present else ():
            # What begins on that day or later stays: ended before it begins it would never have been.
            if placement.unit_id in mine and placement.from_day < from_day:
                changes.end(placement, from_day - timedelta(days=1))
        changes.place(person.pk, unit.pk, at.pk if at else None, from_day, None)
        moved.append(person.pk)
    data = {"count": len(moved), "where": where(unit, position), "day": day(from_day)}
    return _done("move_many", moved, passed, changes, data, by)


@transaction.atomic
def end_many(*, people: Sequence[Person], unit: Unit, to_day: date, by: Actor) -> Done:
    """End the placements of all of these people in a unit of one's own part. Raises NobodyLeft."""
    policy.require(by, "place people in", unit)
    chosen, passed = _allowed(people, by)
    changes = Changes()
    ended = []
    present = _present([p.pk for p in chosen], to_day)
    for person in chosen:
        ending = [p for p in present.get(person.pk, []) if p.unit_id == unit.pk and p.from_day <= to_day]
        if not ending:
            passed.append(f"{person.name} is not placed there on that day")
            continue
        for placement in ending:
            changes.end(placement, to_day)
        ended.append(person.pk)
    data = {"count": len(ended), "where": unit.name, "day": day(to_day)}
    return _done("end_many", ended, passed, changes, data, by)


@transaction.atomic
def leave_many(*, people: Sequence[Person], left_on: date, by: Actor) -> Done:
    """The last day with the organisation for all of these people. Raises NobodyLeft, LastAdministrator."""
    chosen, passed = _employed(people, left_on, by)
    chosen, more = _all_in_part(chosen, left_on, by)
    passed += more
    check_administrator_stays([person.pk for person in chosen])
    known = {e.person_id: e for e in Employment.objects.known_now().filter(person__in=chosen)}
    placed: dict[int, list[Placement]] = {}
    for placement in Placement.objects.known_now().filter(person__in=chosen):
        placed.setdefault(placement.person_id, []).append(placement)
    changes = Changes()
    for person in chosen:
        employment = known[person.pk]
        changes.revoke(Employment, employment.pk)
        changes.employ(person.pk, employment.hired_on, left_on)
        for placement in placed.get(person.pk, []):
            # A placement that was to begin after they left never does: it is revoked, not ended.
            if placement.from_day > left_on:
                changes.revoke(Placement, placement.pk)
            elif placement.to_day is None or placement.to_day > left_on:
                changes.end(placement, left_on)
    keys = [person.pk for person in chosen]
    return _done("leave_many", keys, passed, changes, {"count": len(keys), "day": day(left_on)}, by)


def _allowed(people: Sequence[Person], by: Actor) -> tuple[list[Person], list[str]]:
    """Those whom the actor may change, and who hold no more than they; the others are named."""
    policy.require(by, "change people")
    keys = [person.pk for person in people]
    theirs = set(policy.visible(by, "change people", Person.objects.filter(pk__in=keys)).values_list("pk", flat=True))
    more = holding_more(by, people)
    passed = [f"{person.name} is not in your part" for person in people if person.pk not in theirs]
    passed += [f"{person.name} holds more than you do here" for person in people if person.pk in theirs & more]
    return [person for person in people if person.pk in theirs - more], passed


def _all_in_part(people: Sequence[Person], left_on: date, by: Actor) -> tuple[list[Person], list[str]]:
    """Those who are placed in the part of the actor only: leaving ends all that they are."""
    after = Placement.objects.known_now().filter(person__in=people).exclude(to_day__lte=left_on)
    units = Unit.objects.filter(pk__in=after.values("unit"))
    mine = policy.visible(by, "place people in", units).values("pk")
    elsewhere = set(after.exclude(unit__in=mine).values_list("person_id", flat=True))
    passed = [f"{person.name} is placed outside your part too" for person in people if person.pk in elsewhere]
    return [person for person in people if person.pk not in elsewhere], passed


def _employed(people: Sequence[Person], on: date, by: Actor) -> tuple[list[Person], list[str]]:
    chosen, passed = _allowed(people, by)
    known = Employment.objects.known_now().filter(person__in=chosen, hired_on__lte=on).exclude(left_on__lt=on)
    employed = set(known.values_list("person_id", flat=True))
    passed += [f"{person.name} is not employed on that day" for person in chosen if person.pk not in employed]
    return [person for person in chosen if person.pk in employed], passed


def _present(people: Sequence[int], on: date) -> dict[int, list[Placement]]:
    """The placements that are open on a day or later, by person."""
    rows = Placement.objects.known_now().filter(person__in=people).exclude(to_day__lt=on)
    found: dict[int, list[Placement]] = {}
    for placement in rows.select_related("position").order_by("from_day"):
        found.setdefault(placement.person_id, []).append(placement)
    return found


def _position_of(placements: Sequence[Placement]) -> Position | None:
    return placements[-1].position if placements else None


def _done(
    verb: str, people: Sequence[int], passed: list[str], changes: Changes, data: dict[str, object], by: Actor
) -> Done:
    if not people:
        raise NobodyLeft(passed)
    revoked, written = changes.write()
    about = Named("people", "", f"{len(people)} people")
    entry = record(verb, by=by, about=about, data=data, rows=revoked, written=written)
    changed = events.EmploymentChanged if verb == "leave_many" else events.PlacementChanged
    events.announce(changed(tuple(people)), entry.act)
    return Done(len(people), passed, entry.number)
