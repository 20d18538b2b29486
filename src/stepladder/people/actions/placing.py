"""Hiring, moving and ending. Each act is one transaction, journaled, and announced."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.sign_in import follow_person, follow_sheets
from stepladder.accounts.tasks import invite_anew
from stepladder.charts.models import Position, Unit
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.actions.rank import check_administrator_stays, check_rank
from stepladder.people.errors import (
    AlreadyAway,
    AlreadyPlaced,
    DaysInWrongOrder,
    EndsBeforeItBegins,
    NeverHired,
    NodeLocked,
    NumberTaken,
    OutsideEmployment,
    PlacedElsewhere,
    Shortened,
)
from stepladder.people.models import Employment, Leave, Person, Placement
from stepladder.web.sheets import touch
from stepladder.web.templatetags.web import day

__all__ = ["about", "edit_person", "end_leave", "end_placement", "hire", "leave_organisation", "move", "record_leave"]


def about(person: Person) -> Named:
    """The person as the journal names them."""
    return Named("person", person.public_id, person.name)


def where(unit: Unit, position: Position | None) -> str:
    return f"{position.name}, {unit.name}" if position else unit.name


@transaction.atomic
def hire(
    *,
    employee_number: str,
    given_name: str,
    family_name: str,
    hired_on: date,
    unit: Unit,
    position: Position | None,
    by: Actor,
    email: str = "",
    kind: str = Person.Kind.EMPLOYEE,
    account: Account | None = None,
) -> Person:
    """A new person with their first placement. Raises NumberTaken, NodeLocked."""
    policy.require(by, "change people")
    check_free(unit, position, by)
    # Also of whoever left long ago: a number in an old record means one person for ever.
    namesake = Person.objects.filter(employee_number__iexact=employee_number).first()
    if namesake:
        raise NumberTaken(employee_number, namesake.name)
    person = Person.objects.create(
        employee_number=employee_number,
        given_name=given_name,
        family_name=family_name,
        email=email,
        kind=kind,
        account=account,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    employment = Employment.objects.create(person=person, hired_on=hired_on)
    placement = Placement.objects.create(person=person, unit=unit, position=position, from_day=hired_on)
    data = {"where": where(unit, position), "day": day(hired_on)}
    entry = record("hire", by=by, about=about(person), data=data, rows=[employment, placement])
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    return person


@transaction.atomic
def edit_person(
    *,
    person: Person,
    revision: int | None,
    given_name: str,
    family_name: str,
    email: str,
    outside_id: str | None,
    by: Actor,
    phone: str = "",
) -> Person:
    """Name, e-mail (also of their sign-in), phone, and what another system calls them.

    Raises NewerChange, HoldsMore, EmailTaken, Shortened.
    """
    policy.require(by, "change people", person)
    # Whoever sets the address gets the links to sign in.
    check_rank(by, person)
    if person.shortened_on is not None:
        raise Shortened(person.name)
    touch(person, revision=revision, by_name=by.name)
    person.given_name, person.family_name, person.email = given_name, family_name, email
    person.outside_id, person.phone = outside_id, phone
    person.save()
    if person.account_id is not None:
        invite_anew(follow_sheets({person.account_id: (person.name, email)}))
    entry = record("edit_person", by=by, about=about(person))
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    return person


@transaction.atomic
def move(
    *, person: Person, unit: Unit, position: Position | None, from_day: date, ending: Iterable[Placement], by: Actor
) -> Placement:
    """A new placement from *from_day*; those *ending* end the day before.

    Raises EndsBeforeItBegins, AlreadyPlaced, OutsideEmployment, NodeLocked.
    """
    policy.require(by, "change people", person)
    check_free(unit, position, by)
    _check_employed(person, from_day)
    ended: list[Fact] = []
    for placement in ending:
        policy.require(by, "place people in", placement.unit)
        if placement.from_day >= from_day:
            raise EndsBeforeItBegins(where(placement.unit, placement.position), placement.from_day)
        ended += end_of(placement, from_day - timedelta(days=1))
    # After what ends: moving somebody to where they are, from a day on, is no second placement.
    overlapping = Placement.objects.known_now().filter(person=person, unit=unit, position=position)
    for other in overlapping:
        if other.to_day is None or other.to_day >= from_day:
            raise AlreadyPlaced(where(unit, position), other.from_day)
    placement = Placement.objects.create(person=person, unit=unit, position=position, from_day=from_day)
    data = {"where": where(unit, position), "day": day(from_day)}
    entry = record("move", by=by, about=about(person), data=data, rows=[*ended, placement])
    events.announce(events.PlacementChanged((person.pk,)), entry.act)
    return placement


@transaction.atomic
def end_placement(*, placement: Placement, to_day: date, by: Actor) -> Placement:
    """The last day of a placement, in one's own part. Raises DaysInWrongOrder, HoldsMore."""
    policy.require(by, "change people", placement.person)
    policy.require(by, "place people in", placement.unit)
    check_rank(by, placement.person)
    if to_day < placement.from_day:
        raise DaysInWrongOrder(placement.from_day, to_day, "to_day")
    old, new = end_of(placement, to_day)
    data = {"where": where(placement.unit, placement.position), "day": day(to_day)}
    entry = record("end_placement", by=by, about=about(placement.person), data=data, rows=[old, new])
    events.announce(events.PlacementChanged((placement.person_id,)), entry.act)
    return new


def end_of(placement: Placement, to_day: date) -> tuple[Placement, Placement]:
    """The placement with a last day, and as it was."""
    return placement, placement.succeeded_by(to_day=to_day)


@transaction.atomic
def correct_first_day(*, person: Person, hired_on: date, by: Actor) -> Employment:
    """Another first day than was recorded: what began with it begins on that day; what would have ended before it never was.

    Raises DaysInWrongOrder, HoldsMore, PlacedElsewhere, NeverHired.
    """
    policy.require(by, "change people", person)
    check_rank(by, person)
    _check_all_in_part(person, date.min, by)
    employment = _employment_of(person)
    before = employment.hired_on
    if employment.left_on is not None and employment.left_on < hired_on:
        raise DaysInWrongOrder(hired_on, employment.left_on, "hired_on")
    corrected = employment.succeeded_by(hired_on=hired_on)
    rows: list[Fact] = [employment, corrected]
    for placement in Placement.objects.known_now().filter(person=person):
        first = hired_on if placement.from_day == before else max(placement.from_day, hired_on)
        if first == placement.from_day:
            continue
        kept = placement.to_day is None or first <= placement.to_day
        rows += [placement, *placement.replaced_by(*([{"from_day": first}] if kept else []))]
    data = {"day": day(hired_on), "before": day(before)}
    entry = record("correct_first_day", by=by, about=about(person), data=data, rows=rows)
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    return corrected


@transaction.atomic
def leave_organisation(*, person: Person, left_on: date, by: Actor) -> Employment:
    """The last day with the organisation: placements end with it, and from the next day the sign-in is shut.

    Raises DaysInWrongOrder, HoldsMore, PlacedElsewhere, LastAdministrator.
    """
    policy.require(by, "change people", person)
    check_rank(by, person)
    check_administrator_stays([person.pk])
    _check_all_in_part(person, left_on, by)
    employment = _employment_of(person)
    if left_on < employment.hired_on:
        raise DaysInWrongOrder(employment.hired_on, left_on, "left_on")
    ended = employment.succeeded_by(left_on=left_on)
    rows: list[Fact] = [employment, ended]
    for placement in Placement.objects.known_now().filter(person=person):
        # It will never have been: there is no day of it left to keep.
        if placement.from_day > left_on:
            placement.revoke()
            rows.append(placement)
        elif placement.to_day is None or placement.to_day > left_on:
            rows += end_of(placement, left_on)
    # Today they work still; the daily run shuts the door tomorrow.
    if person.account and left_on < clock.today():
        follow_person(account=person.account, has_left=True)
    entry = record("leave_organisation", by=by, about=about(person), data={"day": day(left_on)}, rows=rows)
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    return ended


@transaction.atomic
def record_leave(*, person: Person, from_day: date, to_day: date | None, by: Actor) -> Leave:
    """Leave of absence. Raises DaysInWrongOrder, AlreadyAway."""
    policy.require(by, "change people", person)
    if to_day is not None and to_day < from_day:
        raise DaysInWrongOrder(from_day, to_day, "to_day")
    for other in Leave.objects.known_now().filter(person=person).exclude(to_day__lt=from_day):
        if to_day is None or other.from_day <= to_day:
            raise AlreadyAway(other.from_day, other.to_day)
    leave = Leave.objects.create(person=person, from_day=from_day, to_day=to_day)
    data = {"day": day(from_day), "until": day(to_day)}
    entry = record("record_leave", by=by, about=about(person), data=data, rows=[leave])
    events.announce(events.EmploymentChanged((person.pk,)), entry.act)
    return leave


@transaction.atomic
def end_leave(*, leave: Leave, to_day: date, by: Actor) -> Leave:
    """The last day away. Raises DaysInWrongOrder."""
    policy.require(by, "change people", leave.person)
    if to_day < leave.from_day:
        raise DaysInWrongOrder(leave.from_day, to_day, "to_day")
    new = leave.succeeded_by(to_day=to_day)
    entry = record("end_leave", by=by, about=about(leave.person), data={"day": day(to_day)}, rows=[leave, new])
    events.announce(events.EmploymentChanged((leave.person_id,)), entry.act)
    return new


def check_free(unit: Unit, position: Position | None, by: Actor) -> None:
    """Locked nodes are for those who manage the charts; and nobody places people outside their own part."""
    policy.require(by, "place people in", unit)
    for node in (unit, position):
        if node is not None and node.is_locked and not policy.may(by, "change charts"):
            raise NodeLocked(node.name)


def _check_all_in_part(person: Person, left_on: date, by: Actor) -> None:
    """Leaving ends every placement: all of them must be in the part of who says so."""
    open_after = Placement.objects.known_now().filter(person=person).exclude(to_day__lte=left_on)
    units = Unit.objects.filter(pk__in=open_after.values("unit"))
    outside = units.exclude(pk__in=policy.visible(by, "place people in", units).values("pk"))
    if outside:
        raise PlacedElsewhere(person.name, sorted(unit.name for unit in outside))


def _check_employed(person: Person, on: date) -> None:
    employment = _employment_of(person)
    if on < employment.hired_on or (employment.left_on is not None and on > employment.left_on):
        raise OutsideEmployment(employment.hired_on, employment.left_on)


def _employment_of(person: Person) -> Employment:
    found: Employment | None = Employment.objects.known_now().filter(person=person).first()
    if found is None:
        raise NeverHired(person.name)
    return found
