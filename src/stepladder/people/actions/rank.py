"""Who may be ended, locked or written to by whom: nobody by somebody who holds less; and the last administrator stays."""

from __future__ import annotations

from collections.abc import Collection, Iterable

from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role
from stepladder.accounts.sign_in import LastAdministrator
from stepladder.journal.actions import Actor
from stepladder.people.errors import HoldsMore
from stepladder.people.models import Employment, Person

__all__ = ["administrators_left", "check_administrator_stays", "check_rank", "holding_more"]

# What one holds; whoever has several roles holds the most of them.
RANKS = {
    Role.ADMINISTRATOR: 3,
    Role.UNIT_ADMINISTRATOR: 2,
    Role.AUDITOR: 2,
    Role.AUTHOR: 1,
    Role.INSTRUCTOR: 1,
}


def _rank(account: Account | None) -> int:
    return max((RANKS.get(Role(role), 0) for role in policy.roles_of(account)), default=0) if account else 0


def holding_more(by: Actor, people: Iterable[Person]) -> set[int]:
    """Of these people, those who hold more than who acts; none for a machine of the product's own."""
    if not isinstance(by, Account):
        return set()
    mine = _rank(by)
    return {person.pk for person in people if _rank(person.account) > mine}


def check_rank(by: Actor, person: Person) -> None:
    """Raises HoldsMore where the person holds more than who acts."""
    if holding_more(by, [person]):
        raise HoldsMore(person.name)


def administrators_left(leaving: Collection[int]) -> bool:
    """Whether an administrator who signs in is left, and stays, when these people leave."""
    accounts = Account.objects.filter(is_active=True, grants__role=Role.ADMINISTRATOR)
    going = set(Employment.objects.known_now().filter(left_on__isnull=False).values_list("person_id", flat=True))
    gone = Person.objects.filter(account__in=accounts, pk__in=going | set(leaving)).values("account")
    return accounts.exclude(pk__in=gone).exists()


def check_administrator_stays(leaving: Collection[int]) -> None:
    """Raises LastAdministrator where nobody would be left who may do everything."""
    theirs = Account.objects.filter(person__in=leaving, is_active=True, grants__role=Role.ADMINISTRATOR)
    if theirs.exists() and not administrators_left(leaving):
        raise LastAdministrator
