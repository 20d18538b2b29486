"""Reading tasks: who waits for a sign-off, and what was signed so far."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from django.db.models import Exists, F, OuterRef, Q, QuerySet, Subquery

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.sign_offs import CheckList, Criterion, left_of
from stepladder.learning.models import Attempt, Enrolment, StepDone
from stepladder.people.queries import active_on
from stepladder.signing.actions.sign_offs import check_list_of, seen_of
from stepladder.signing.models import Asked, SignOff
from stepladder.signing.signers import signed_by

__all__ = ["Line", "Standing", "asked_count", "lines_of", "sign_offs_seen", "standing_of", "waiting_rows"]


@dataclass(frozen=True)
class Line:
    """A criterion with what was last said of it: the sign-off in which it was met, else the newest that says not yet."""

    criterion: Criterion
    met_in: SignOff | None = None
    not_yet_in: SignOff | None = None


@dataclass(frozen=True)
class Standing:
    """How far somebody is with a task."""

    check_list: CheckList
    lines: list[Line]
    rows: Sequence[SignOff] = field(default_factory=list)
    left: int = 0

    @property
    def met(self) -> int:
        return sum(line.met_in is not None for line in self.lines)


def lines_of(check_list: CheckList, rows: Sequence[SignOff]) -> list[Line]:
    """The criteria with what the sign-offs, in the order in which they were seen, say of each."""
    met: dict[str, SignOff] = {}
    not_yet: dict[str, SignOff] = {}
    for row in rows:
        for key in row.met:
            met.setdefault(key, row)
        not_yet |= dict.fromkeys(row.not_yet, row)
    return [Line(one, met.get(one.key), not_yet.get(one.key)) for one in check_list.criteria]


def standing_of(attempt: Attempt) -> Standing:
    """What was signed of an attempt so far, and what is still owed."""
    rows, check_list = seen_of(attempt), check_list_of(attempt)
    lines = lines_of(check_list, rows)
    left = left_of(check_list, {line.criterion.key for line in lines if line.met_in is not None})
    return Standing(check_list, lines, rows, left)


def waiting_rows(account: Any, *, show: str = "asked", text: str = "") -> QuerySet[Enrolment]:
    """The places with a task ahead that the account may sign off: those that are asked for ("asked"), longest first, or all.

    A row for each place and task, with `task` (the module's key), `task_title`, `task_public_id`, `asked_at` and `asked_words`.
    """
    done = StepDone.objects.known_now().filter(enrolment=OuterRef("pk"), module=OuterRef("task"))
    asked = Asked.objects.filter(
        settled_at=None, attempt__enrolment=OuterRef("pk"), attempt__module=OuterRef("task")
    ).order_by("at")
    rows = (
        Enrolment.objects.filter(
            Exists(active_on(clock.today()).filter(person=OuterRef("person"))),
            completed_at=None,
            closed_on=None,
            edition__steps__module__kind="task",
        )
        .annotate(
            task=F("edition__steps__module"),
            task_title=F("edition__steps__module__title"),
            task_public_id=F("edition__steps__module__public_id"),
        )
        .filter(~Exists(done), signed_by(account, person="person", module="task"))
        .annotate(asked_at=Subquery(asked.values("at")[:1]), asked_words=Subquery(asked.values("words")[:1]))
        .select_related("person", "course")
    )
    for word in text.split()[:6]:
        about = Q(person__family_name__icontains=word) | Q(person__given_name__icontains=word)
        rows = rows.filter(about | Q(task_title__icontains=word) | Q(person__employee_number__iexact=word))
    if show == "asked":
        # By those few first: of all that is open there may be fifty thousand.
        few = Asked.objects.filter(settled_at=None).values("attempt__enrolment")
        rows = rows.filter(pk__in=few, asked_at__isnull=False)
    return rows.order_by(F("asked_at").asc(nulls_last=True), "person__family_name", "person__given_name", "pk", "task")


def asked_count(account: Any) -> int:
    """How many ask the account for a sign-off."""
    return waiting_rows(account).count()


def sign_offs_seen(account: Any) -> QuerySet[SignOff]:
    """The sign-offs that an account may look at: its own, of whom it may sign off, and of whom it may read the records."""
    mine = policy.visible(account, "learn", Attempt.objects.all())
    read = policy.visible(account, "read records", Enrolment.objects.all())
    related = ("attempt__enrolment__person", "attempt__enrolment__course", "attempt__module", "attempt__version")
    rows = SignOff.objects.known_now().select_related(*related)
    signs = signed_by(account, person="attempt__enrolment__person", module="attempt__module")
    return rows.filter(Q(attempt__in=mine) | Q(attempt__enrolment__in=read) | signs)
