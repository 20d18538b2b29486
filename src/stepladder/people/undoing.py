"""What stands against taking back acts on people, and what follows when they were."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date
from typing import Any

from django.db.models import QuerySet

from stepladder import clock, events
from stepladder.accounts.models import Account, Role
from stepladder.accounts.sign_in import LastAdministrator, follow_person
from stepladder.charts.undoing import days_in_words
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.people.actions.placing import where
from stepladder.people.actions.rank import administrators_left
from stepladder.people.actions.sign_ins import undo_invitations, undo_roles, who_needs_the_role, who_signed_in
from stepladder.people.models import Employment, FieldValue, Leave, Person, Placement, PositionRole
from stepladder.web.templatetags.web import day

__all__ = ["of_people", "register"]

# The people whom facts of these tables are about: what the policy is asked for when an act is taken back.
of_people = undoing.of_rows(Person, Placement, Employment, Leave, FieldValue)


def _people(rows: Iterable[Any]) -> tuple[int, ...]:
    return tuple(sorted({row.person_id for row in rows}))


def _placed_twice(rows: list[Fact]) -> list[str]:
    """Placements that would come back beside one that was made since at the same place."""
    back = [row for row in _of(rows, Placement) if row.is_revoked]
    beside: dict[tuple[int, int, int | None], list[Placement]] = {}
    known = Placement.objects.known_now().filter(person__in=[row.person_id for row in back])
    for other in known.exclude(pk__in=[row.pk for row in rows]).select_related("person", "unit"):
        beside.setdefault((other.person_id, other.unit_id, other.position_id), []).append(other)
    return [
        f"{other.person.name} was placed at {other.unit} again since."
        for row in back
        for other in beside.get((row.person_id, row.unit_id, row.position_id), ())
        if other.from_day <= (row.to_day or date.max) and row.from_day <= (other.to_day or date.max)
    ]


def _away_twice(rows: list[Fact]) -> list[str]:
    """Leave that would come back beside leave that was recorded since."""
    back = [row for row in _of(rows, Leave) if row.is_revoked]
    known = Leave.objects.known_now().filter(person__in=[row.person_id for row in back])
    since = list(known.exclude(pk__in=[row.pk for row in rows]).select_related("person"))
    return [
        f"{other.person.name} is away {days_in_words(other)} by now."
        for row in back
        for other in since
        if other.person_id == row.person_id
        and other.from_day <= (row.to_day or date.max)
        and row.from_day <= (other.to_day or date.max)
    ]


def _hired_and_needed(rows: list[Fact]) -> list[str]:
    """People who would never have been here, though something since depends on them."""
    written = {row.person_id for row in _of(rows, Employment) if not row.is_revoked}
    gone = written - {row.person_id for row in _of(rows, Employment) if row.is_revoked}
    if not gone:
        return []
    lines = events.propose(events.PeopleWithdrawn(tuple(sorted(gone))))
    found = [f"{line.text}." for line in lines if line.refuses]
    theirs = Account.objects.filter(person__in=gone, is_active=True, grants__role=Role.ADMINISTRATOR)
    return found + ([str(LastAdministrator())] if theirs.exists() and not administrators_left(gone) else [])


def _of(rows: Iterable[Fact], kind: type[Any]) -> list[Any]:
    return [row for row in rows if isinstance(row, kind)]


def _employed(rows: list[Fact], act: events.Act) -> None:
    """Whoever is with us again may sign in again; whoever never was may not."""
    today = clock.today()
    for person in Person.objects.filter(pk__in=_people(rows), account__isnull=False).select_related("account"):
        known = Employment.objects.known_now().filter(person=person).first()
        is_here = known is not None and (known.left_on is None or known.left_on >= today)
        if person.account is not None:
            follow_person(account=person.account, has_left=not is_here)
    events.announce(events.EmploymentChanged(_people(rows)), act)


def _placement(row: Placement) -> str:
    return f"{row.person.name}: {where(row.unit, row.position)}, {days_in_words(row)}"


def _employment(row: Employment) -> str:
    return f"{row.person.name}: hired {day(row.hired_on)}" + (f", last day {day(row.left_on)}" if row.left_on else "")


def register() -> None:
    undoing.add_table(
        Placement,
        describe=_placement,
        depends=_placed_twice,
        after=lambda rows, act: events.announce(events.PlacementChanged(_people(rows)), act),
    )
    undoing.add_table(
        Leave,
        describe=lambda row: f"{row.person.name}: away {days_in_words(row)}",
        depends=_away_twice,
        after=lambda rows, act: events.announce(events.EmploymentChanged(_people(rows)), act),
    )
    undoing.add_table(Employment, describe=_employment, depends=_hired_and_needed, after=_employed)
    undoing.add_table(
        FieldValue,
        describe=lambda row: f"{row.person.name}: {row.field} {row.value}",
        after=lambda rows, act: events.announce(events.EmploymentChanged(_people(rows)), act),
    )
    undoing.add_verbs(
        "change people",
        "hire",
        "move",
        "end_placement",
        "correct_first_day",
        "leave_organisation",
        "record_leave",
        "end_leave",
        "set_values",
        "move_many",
        "end_many",
        "leave_many",
        whose=of_people,
    )
    undoing.add_table(
        PositionRole,
        describe=lambda row: f"{row.position.name}: {row.get_role_display()}",
        depends=_given_again,
        after=lambda rows, act: None,
    )
    undoing.add_verbs("change roles", "set_position_roles")
    undoing.add_inverse("invite", "invite_many", whose=_invited, depends=who_signed_in, undo=undo_invitations)
    undoing.add_inverse("change roles", "give_role_many", depends=who_needs_the_role, undo=undo_roles)


def _given_again(rows: list[Fact]) -> list[str]:
    """Roles that would come back beside the same one that was given since."""
    back = [row for row in _of(rows, PositionRole) if row.is_revoked]
    since = PositionRole.objects.known_now().filter(position__in=[row.position_id for row in back])
    given = {(row.position_id, row.role) for row in since.exclude(pk__in=[row.pk for row in rows])}
    return [
        f"{row.position.name} brings {row.get_role_display().lower()} by now."
        for row in back
        if (row.position_id, row.role) in given
    ]


def _invited(entry: Entry) -> QuerySet[Person]:
    return Person.objects.filter(account__public_id__in=entry.data.get("accounts", ()))
