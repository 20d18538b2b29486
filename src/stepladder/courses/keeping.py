"""Paths that are built for one's own people: who may, whose they are, and who finds them. Decision: 35.

The organisation says which roles may. Such a path stands in the binder that it names, is changed by who built it and by
administrators, and is found by whoever answers to its builder, is in their part, or is taught by them: today, whoever that is.
"""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

from django.db import transaction
from django.db.models import Q, QuerySet

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.actions import change_organisation
from stepladder.accounts.models import Account, Organisation, Role
from stepladder.accounts.organisation import organisation
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import AdministeredPart
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, CourseState, Path
from stepladder.journal.actions import Actor
from stepladder.leads.queries import reporting_lines
from stepladder.library.models import Binder
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on

__all__ = [
    "BUILDERS",
    "add_keepers",
    "allow_builders",
    "choosable",
    "keeper_of",
    "keepers_of",
    "kept_at_all",
    "own_binder",
    "register",
]

# The roles that can be allowed to, in the words of their people.
BUILDERS = {
    Role.MANAGER: "whoever leads others, for those who answer to them",
    Role.UNIT_ADMINISTRATOR: "unit administrators, for their part",
    Role.INSTRUCTOR: "instructors, for those whom they teach",
}
NOT_KEPT = "Only who built this path for their people, or an administrator, can change it."
NOT_KEPT_THERE = "Paths for one’s own people stand in the binder that an administrator named for them."

# The accounts by whom somebody is taught, as apps above know them.
_others: dict[str, Callable[[Person], Collection[int]]] = {}


def add_keepers(role: Role, keepers: Callable[[Person], Collection[int]]) -> None:
    """Hand in the accounts (keys) whose people somebody is today, by a role of BUILDERS."""
    _others[role] = keepers


@transaction.atomic
def allow_builders(*, roles: Collection[str], binder: Binder | None, by: Actor) -> None:
    """Which roles may build paths for their own people from now on, and the binder that these stand in. Raises CourseError."""
    if roles and binder is None:
        raise CourseError("Say in which binder such paths stand. Nothing was changed.")
    kept: Organisation = Organisation.objects.get()
    policy.require(by, "change the organisation", kept)
    kept.path_builders = [role.value for role in BUILDERS if role in roles]
    kept.paths_binder = binder.public_id if binder else kept.paths_binder
    change_organisation(organisation=kept, by=by)


def keepers_of(person: Person) -> frozenset[int]:
    """The accounts (keys) whose people somebody is today: in as many queries as there are roles that may build paths."""
    allowed, today = organisation().path_builders, clock.today()
    found: set[int] = set()
    if Role.MANAGER in allowed:
        leaders = {line.leader for line in reporting_lines([person.pk], today)}
        found |= set(Account.objects.filter(person__in=leaders, is_active=True).values_list("pk", flat=True))
    if Role.UNIT_ADMINISTRATOR in allowed:
        tree = units_tree()
        placed = Placement.objects.filter(valid_on(today), person=person).values_list("unit", flat=True)
        units = {above for unit in placed for above in (tree.upwards(unit) if unit in tree.parent else [unit])}
        found |= set(AdministeredPart.objects.filter(unit__in=units).values_list("account", flat=True))
    for role, keepers in _others.items():
        if role in allowed:
            found |= set(keepers(person))
    return frozenset(found)


def choosable(account: Any) -> QuerySet[Course]:
    """The released courses that an account may put into a path: those on its Courses rung; whoever builds for their own people takes
    of what they may assign, or else find."""
    rows = Course.objects.filter(state=CourseState.RELEASED)
    seen = policy.visible(account, "see courses", rows)
    if Role.PATH_BUILDER not in policy.roles_of(account):
        return seen
    if policy.may(account, "assign"):
        return rows
    return rows.filter(Q(pk__in=seen.values("pk")) | Q(pk__in=policy.visible(account, "find", rows).values("pk")))


def own_binder(account: Any) -> Binder | None:
    """The binder in which an account builds for its own people only; None: it builds nothing so."""
    if Role.PATH_BUILDER not in policy.roles_of(account):
        return None
    binder = Binder.objects.filter(public_id=organisation().paths_binder).first()
    return binder if binder and not policy.may(account, "change courses", binder) else None


def keeper_of(by: Actor, binder: Binder) -> Account | None:
    """Whose own a path is that somebody puts into a binder: theirs, where they may build there for their own people only."""
    return None if policy.may(by, "change courses", binder) else Account.objects.get(public_id=by.public_id)


def kept_at_all() -> bool:
    """Whether there is any such path to be found: most installations have none, and their catalogues ask no further."""
    return Path.objects.filter(state=CourseState.RELEASED, kept_by__isnull=False).exists()


def _builds(roles: frozenset[str]) -> frozenset[str]:
    settings = organisation()
    may = settings.paths_binder and roles.intersection(settings.path_builders)
    return frozenset({Role.PATH_BUILDER}) if may else frozenset()


def register() -> None:
    policy.follow_roles(_builds)
    policy.relation(
        Path,
        policy.KEEPS,
        holds=lambda account, path: path.kept_by_id == account.pk,
        rows=lambda account: Q(kept_by=account.pk),
        refusal=NOT_KEPT,
    )

    def there(account: Any) -> Q:
        return Q(public_id=organisation().paths_binder)

    policy.relation_by_rows(Binder, policy.KEEPS, there, NOT_KEPT_THERE)
