"""Asking for plans, changing them by hand, and taking them over: one act, carried out in pieces, taken back so."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.days import DayError
from stepladder.events import Act
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.library.models import Module
from stepladder.people.models import Person, PersonField
from stepladder.planning import working
from stepladder.planning.errors import PlanningError
from stepladder.planning.models import Plan, PlanSession
from stepladder.planning.reading import people_of
from stepladder.queue.actions import Queue, in_pieces, later
from stepladder.reaches.reach_forms import sentence_of
from stepladder.timetable import actions as timetable
from stepladder.timetable.errors import SessionError
from stepladder.timetable.models import Room

__all__ = [
    "PlanAsked",
    "about",
    "ask_plan",
    "return_plan",
    "return_sessions",
    "set_out",
    "take_over",
    "take_over_sessions",
]

State = Plan.State
# The longest span that is looked at.
MOST_DAYS = 120


@dataclass(frozen=True)
class PlanAsked:
    """What a plan is asked for; see Plan."""

    module: Module
    reach: dict[str, Any]
    first: date
    last: date
    minutes: int
    seats: int
    rooms: Sequence[Room] = ()
    away_most: int | None = None
    away_share: int | None = None
    by_site: bool = True
    language_field: PersonField | None = None

    def unsaved(self, by: Account) -> Plan:
        """The plan, not stored."""
        said = {k: v for k, v in self.__dict__.items() if k != "rooms"}
        return Plan(account=by, words=sentence_of(self.reach), **said)

    def check(self) -> None:
        """Raises PlanningError for a span that is none."""
        if self.first <= clock.today():
            raise PlanningError("Sessions can be planned from tomorrow on. Choose a later first day.", "first")
        if self.last < self.first:
            raise PlanningError("The last day lies before the first one. Choose a later one.", "last")
        if (self.last - self.first).days >= MOST_DAYS:
            raise PlanningError(f"A plan reaches over {MOST_DAYS} days at most. Choose an earlier last day.", "last")


def about(plan: Plan) -> Named:
    return Named("plan", plan.public_id, plan.module.title)


@transaction.atomic
def ask_plan(*, asked: PlanAsked, by: Account) -> Plan:
    """Have a plan worked out. Raises PlanningError."""
    policy.require(by, "plan sessions")
    asked.check()
    plan = asked.unsaved(by)
    plan.people = len(people_of(plan))
    plan.save()
    plan.rooms.set(asked.rooms)
    data = {"people": plan.people, "first": plan.first, "last": plan.last}
    record("ask_plan", by=by, about=about(plan), data=data)
    later(working.make_plan, queue=Queue.BULK, key=plan.pk)
    return plan


@transaction.atomic
def set_out(*, row: PlanSession, is_out: bool, by: Account) -> None:
    """Take a session out of a plan that is not taken over, or put it back; nobody is moved. Raises PlanningError."""
    policy.require(by, "plan sessions")
    if not PlanSession.objects.filter(pk=row.pk, plan__state=State.FOUND).update(is_out=is_out):
        raise PlanningError("This plan is taken over already. Change its sessions on their own sheets.")


@transaction.atomic
def take_over(*, plan: Plan, by: Account) -> int:
    """Plan its sessions and book its people; how many sessions. Raises PlanningError."""
    policy.require(by, "plan sessions")
    # Compare and set: of two who press at once one takes it over.
    if not Plan.objects.filter(pk=plan.pk, state=State.FOUND).update(state=State.TAKEN):
        raise PlanningError("This plan is taken over already, or not worked out yet.")
    keys = list(plan.sessions.filter(is_out=False).values_list("pk", flat=True))
    if not keys:
        raise PlanningError("No session is left in this plan. Put one back, or ask for another plan.")
    entry = record("take_over_plan", by=by, about=about(plan), data={"count": len(keys)})
    Plan.objects.filter(pk=plan.pk).update(act=entry.number)
    in_pieces("plan", ids=keys, act=entry.act, about=about(plan))
    return len(keys)


def take_over_sessions(rows: Sequence[int], act: Act) -> None:
    """Plan these sessions and book who is in them: once, however often it runs. What stands against one is kept with it."""
    waiting = PlanSession.objects.filter(pk__in=rows, plan__state=State.TAKEN).select_related(
        "plan__module", "room", "instructor", "session"
    )
    booked = set(_of_act(act.entry, "book_many").values_list("object_id", flat=True))
    for row in waiting.order_by("day", "start", "pk"):
        if row.session is not None and (row.room_id is not None or row.session.public_id in booked):
            continue
        try:
            with transaction.atomic():
                trouble = _take_over_one(row, act)
        except (SessionError, DayError) as refusal:
            trouble = [str(refusal)]
        PlanSession.objects.filter(pk=row.pk).update(trouble=trouble)


def _take_over_one(row: PlanSession, act: Act) -> list[str]:
    plan, by = row.plan, act.by
    session = row.session
    if row.room is not None:
        session = timetable.plan_session(
            module=plan.module,
            meetings=[timetable.MeetingPlan(row.day, row.start, plan.minutes)],
            capacity=min(row.room.seats, plan.seats),
            room=row.room,
            instructors=[row.instructor] if row.instructor else [],
            language=row.language,
            by=by,
            series=act.entry,
        )
        PlanSession.objects.filter(pk=row.pk).update(session=session)
    if session is None:
        return ["The session whose seats were to be filled is gone."]
    people = Person.objects.in_bulk(row.people)
    seated = timetable.book_many(
        session=session,
        people=[people[key] for key in row.people if key in people],
        may_wait=False,
        by=by,
        series=act.entry,
    )
    return seated.passed_over


def _of_act(number: int | None, *verbs: str) -> Any:
    return Entry.objects.filter(verb__in=verbs, data__series=number, number__gt=number or 0)


def return_plan(*, plan: Plan, by: Account) -> None:
    """Take back all that taking over did, as the journal takes acts back. Raises PlanningError, CannotTakeBack."""
    policy.require(by, "plan sessions")
    entry = Entry.objects.filter(pk=plan.act or 0).first()
    if entry is None or plan.state != State.TAKEN:
        raise PlanningError("Only a plan that is taken over can be taken back.")
    undoing.take_back(entry, by=by)


def return_sessions(rows: Sequence[int], act: Act) -> None:
    """Take back the seats and sessions of these rows; what was changed since stays, and is named."""
    for row in PlanSession.objects.filter(pk__in=rows).select_related("plan", "session").order_by("day", "pk"):
        if row.session is None:
            continue
        PlanSession.objects.filter(pk=row.pk).update(trouble=_return_one(row, act.by))


def _return_one(row: PlanSession, by: Actor) -> list[str]:
    assert row.session is not None, "as asked"
    entries = _of_act(row.plan.act, "book_many", "plan_session").filter(object_id=row.session.public_id)
    gone = set(Entry.objects.filter(takes_back__in=entries.values("number")).values_list("takes_back", flat=True))
    # The seats first: a session in which people sit is not taken back.
    for entry in entries.order_by("-number"):
        if entry.number in gone:
            continue
        against = undoing.obstacles(entry)
        if against:
            return against
        undoing.take_back(entry, by=by)
    return []
