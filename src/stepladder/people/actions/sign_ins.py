"""Who may sign in as what: invitations, roles and parts of people; the door shuts when they leave."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role, RoleGrant
from stepladder.accounts.sign_in import LastAdministrator, follow_person, set_roles
from stepladder.accounts.tasks import send_links
from stepladder.charts.models import AdministeredPart, Unit
from stepladder.events import Act
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.people.actions.many import Done
from stepladder.people.actions.placing import about
from stepladder.people.actions.rank import administrators_left, holding_more
from stepladder.people.errors import NobodyLeft, RoleNeedsPart
from stepladder.people.models import Employment, Person
from stepladder.queue.actions import Queue, later

__all__ = [
    "give_role_many",
    "invite_many",
    "set_roles_and_parts",
    "shut_sign_ins",
    "undo_invitations",
    "undo_roles",
    "who_signed_in",
]


@transaction.atomic
def invite_many(*, people: Sequence[Person], by: Actor) -> Done:
    """Send each of them a link to sign in, making the sign-in where there is none.

    Whoever has no e-mail, has left, or shares an e-mail with another sign-in is passed over and named. Raises NobodyLeft.
    """
    policy.require(by, "invite")
    keys = [person.pk for person in people]
    theirs = set(policy.visible(by, "invite", Person.objects.filter(pk__in=keys)).values_list("pk", flat=True))
    gone = set(
        Employment.objects.known_now()
        .filter(person__in=keys, left_on__lt=clock.today())
        .values_list("person_id", flat=True)
    )
    more = holding_more(by, people)
    in_use = _emails_of_others(people)
    passed, made, again = [], [], []
    for person in people:
        reason = "holds more than you do here" if person.pk in more else _why_not(person, theirs, gone, in_use)
        if reason:
            passed.append(f"{person.name} {reason}")
        elif person.account is None:
            in_use[person.email.lower()] = -1
            made.append(_make_account(person))
        else:
            again.append(person.account)
    accounts = [*made, *again]
    if not accounts:
        raise NobodyLeft(passed)
    data = {"count": len(accounts), "accounts": [a.public_id for a in made]}
    entry = record("invite_many", by=by, about=Named("people", "", f"{len(accounts)} people"), data=data)
    for account in accounts:
        # One by one: an address that the mail server refuses ends nobody else's invitation.
        later(send_links, queue=Queue.MAIL, accounts=[account.pk], purpose="invitation")
    return Done(len(accounts), passed, entry.number)


def _emails_of_others(people: Sequence[Person]) -> dict[str, int]:
    emails = [person.email.lower() for person in people if person.email]
    return dict(Account.objects.filter(email__in=emails).values_list("email", "pk"))


def _why_not(person: Person, theirs: set[int], gone: set[int], taken: dict[str, int]) -> str:
    if person.pk not in theirs:
        return "is not in your part"
    if person.pk in gone:
        return "has left"
    if not person.email:
        return "has no e-mail address"
    if person.account is not None:
        return "" if person.account.is_active else "is locked out"
    return "has an e-mail address that somebody else signs in with" if person.email.lower() in taken else ""


def _make_account(person: Person) -> Account:
    account = Account.objects.create_account(person.email, person.name)
    RoleGrant.objects.create(account=account, role=Role.LEARNER)
    person.account = account
    person.save(update_fields=["account"])
    return account


@transaction.atomic
def give_role_many(*, people: Sequence[Person], role: str, by: Actor) -> Done:
    """Give all of them who have a sign-in a role. Raises NobodyLeft, RoleNeedsPart."""
    policy.require(by, "change roles")
    if role == Role.UNIT_ADMINISTRATOR:
        raise RoleNeedsPart()
    have = set(RoleGrant.objects.filter(role=role, account__person__in=people).values_list("account_id", flat=True))
    passed = [f"{p.name} has no sign-in yet: invite them first" for p in people if p.account is None]
    passed += [f"{p.name} has that role" for p in people if p.account_id in have]
    new = [p.account for p in people if p.account is not None and p.account_id not in have]
    if not new:
        raise NobodyLeft(passed)
    RoleGrant.objects.bulk_create([RoleGrant(account=account, role=role) for account in new])
    data = {"count": len(new), "role": role, "accounts": [account.public_id for account in new]}
    entry = record("give_role_many", by=by, about=Named("people", "", f"{len(new)} people"), data=data)
    return Done(len(new), passed, entry.number)


@transaction.atomic
def set_roles_and_parts(*, person: Person, roles: Iterable[str], parts: Sequence[Unit], by: Actor) -> None:
    """What somebody who has a sign-in may do, and for which units. Raises RoleNeedsPart."""
    assert person.account is not None, "the page offers roles only to whoever has a sign-in"
    policy.require(by, "change roles", person.account)
    # Whoever signs in learns: to take everything else from somebody leaves them that.
    wanted = {*roles, Role.LEARNER}
    if Role.UNIT_ADMINISTRATOR in wanted and not parts:
        raise RoleNeedsPart()
    set_roles(account=person.account, roles=wanted, by=by)
    units = {unit.pk for unit in parts} if Role.UNIT_ADMINISTRATOR in wanted else set()
    have = set(AdministeredPart.objects.filter(account=person.account).values_list("unit_id", flat=True))
    if units != have:
        AdministeredPart.objects.filter(account=person.account).exclude(unit__in=units).delete()
        AdministeredPart.objects.bulk_create(
            [AdministeredPart(account=person.account, unit_id=unit) for unit in sorted(units - have)]
        )
        names = ", ".join(unit.name for unit in parts) or "nothing"
        record("set_parts", by=by, about=about(person), data={"parts": names})


@transaction.atomic
def shut_sign_ins() -> int:
    """The daily run: whoever has left signs in no more. How many were shut out."""
    left = Employment.objects.known_now().filter(left_on__lt=clock.today()).values("person")
    accounts = list(Account.objects.filter(has_left=False, person__in=left))
    for account in accounts:
        follow_person(account=account, has_left=True)
    return len(accounts)


def _of(entry: Entry) -> list[Account]:
    return list(Account.objects.filter(public_id__in=entry.data.get("accounts", ())))


def who_signed_in(entry: Entry) -> list[str]:
    """Whoever used their invitation cannot be uninvited, nor who is the only administrator by now."""
    accounts = _of(entry)
    found = [f"{account.name} has signed in since." for account in accounts if account.has_usable_password()]
    return found + _no_administrator_without(accounts)


def who_needs_the_role(entry: Entry) -> list[str]:
    """The last administrator stays one."""
    return _no_administrator_without(_of(entry)) if entry.data["role"] == Role.ADMINISTRATOR else []


def _no_administrator_without(accounts: Sequence[Account]) -> list[str]:
    theirs = [account for account in accounts if Role.ADMINISTRATOR in account.roles]
    people = Person.objects.filter(account__in=theirs).values_list("pk", flat=True)
    return [str(LastAdministrator())] if theirs and not administrators_left(list(people)) else []


def undo_invitations(entry: Entry, act: Act) -> None:
    """The sign-ins that came with the invitations go; nobody has used them."""
    for account in _of(entry):
        Person.objects.filter(account=account).update(account=None)
        account.delete()


def undo_roles(entry: Entry, act: Act) -> None:
    """The role goes from those who got it by the act."""
    RoleGrant.objects.filter(account__in=_of(entry), role=entry.data["role"]).delete()
