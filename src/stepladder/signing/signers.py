"""Who may sign off whose tasks: who leads them with the power for it, and who is named at the task. Nobody their own."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.leads import Power
from stepladder.courses.models import Step
from stepladder.leads.permissions import team_of_account
from stepladder.leads.queries import asked_of
from stepladder.learning.models import Attempt, Enrolment
from stepladder.people.models import Person
from stepladder.people.permissions import person_of
from stepladder.signing.models import Task

__all__ = ["may_sign", "may_sign_anything", "register", "signed_by", "signers_of"]

NOT_NAMED = "Only who leads them with the power “sign off”, or is named at the task, signs it off."


def signers_of(person: Person, task: Task | None) -> list[Person]:
    """Who may be asked to sign off somebody's task, by name: the nearest leads with the power, and who is named."""
    found = {one.pk: one for one in (task.named.all() if task else ())}
    if task is None or not task.only_named:
        found |= {one.pk: one for one in asked_of(person, Power.SIGN_OFF, clock.today())}
    found.pop(person.pk, None)
    return sorted(found.values(), key=lambda one: (one.family_name, one.given_name, one.pk))


def signed_by(account: Any, *, person: str, module: str) -> Q:
    """The rows of which the account may sign off the task: *person* and *module* are their columns."""
    own = person_of(account)
    not_own = ~Q(**{person: own.pk}) if own else Q()
    if policy.sees_every(account, "sign off"):
        return not_own
    led = [row.person for row in team_of_account(account) if Power.SIGN_OFF in row.powers]
    named = Task.objects.filter(named__account=account).values("module")
    only_named = Task.objects.filter(only_named=True).values("module")
    return not_own & (
        (Q(**{f"{person}__in": led}) & ~Q(**{f"{module}__in": only_named})) | Q(**{f"{module}__in": named})
    )


def may_sign(account: Any, person: Person, module: int) -> bool:
    """Whether the account may sign off this task of that person."""
    if person.account_id is not None and person.account_id == getattr(account, "pk", None):
        return False
    if policy.sees_every(account, "sign off"):
        return True
    task = Task.objects.filter(module=module).first()
    if task is not None and task.named.filter(account=account).exists():
        return True
    leads = any(row.person == person.pk and Power.SIGN_OFF in row.powers for row in team_of_account(account))
    return leads and not (task is not None and task.only_named)


def may_sign_anything(account: Any) -> bool:
    """Whether there is somebody, or some task, that the account may sign off."""
    if policy.sees_every(account, "sign off"):
        return True
    if any(Power.SIGN_OFF in row.powers for row in team_of_account(account)):
        return True
    return Task.objects.filter(named__account=account).exists()


def register() -> None:
    """Who is named at a task signs it off for anybody; that leads do follows from their powers (leads.permissions)."""

    def with_named(account: Any) -> Q:
        return Q(edition__in=Step.objects.filter(module__task__named__account=account).values("edition"))

    policy.relation_by_rows(Enrolment, policy.NAMED, with_named, NOT_NAMED)
    policy.relation_by_rows(
        Attempt,
        policy.NAMED,
        lambda account: Q(module__in=Task.objects.filter(named__account=account).values("module")),
        NOT_NAMED,
    )
