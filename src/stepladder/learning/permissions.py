"""Whose enrolments and records are: the person's own, and of whoever administers or leads them."""

from __future__ import annotations

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.leads.permissions import of_persons
from stepladder.learning.models import Attempt, Completion, Enrolment
from stepladder.people.models import Person

__all__ = ["register"]


def register() -> None:
    refusal = "This is another person’s."
    policy.relation(
        Person, "own", holds=lambda a, p: p.account_id == a.pk, rows=lambda a: Q(account=a), refusal=refusal
    )
    policy.relation(
        Enrolment,
        "own",
        holds=lambda a, e: e.person.account_id == a.pk,
        rows=lambda a: Q(person__account=a),
        refusal=refusal,
    )
    policy.relation(
        Attempt,
        "own",
        holds=lambda a, t: t.enrolment.person.account_id == a.pk,
        rows=lambda a: Q(enrolment__person__account=a),
        refusal=refusal,
    )
    policy.relation(
        Completion,
        "own",
        holds=lambda a, c: c.person.account_id == a.pk,
        rows=lambda a: Q(person__account=a),
        refusal=refusal,
    )
    for kind, column in ((Enrolment, "person"), (Completion, "person"), (Attempt, "enrolment__person")):
        of_persons(kind, column)
