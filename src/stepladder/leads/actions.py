"""Leads: who answers for whom, with which powers, from when to when."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from django.db import transaction

from stepladder.accounts import policy
from stepladder.charts.models import Position, Unit
from stepladder.core.leads import Power
from stepladder.journal.actions import Actor, Named, record
from stepladder.leads.errors import LeadIncomplete, LeadOverOneself
from stepladder.leads.models import Lead
from stepladder.leads.powers import in_words
from stepladder.leads.queries import describe_lead
from stepladder.people.errors import DaysInWrongOrder
from stepladder.people.models import Person
from stepladder.reaches.models import Group
from stepladder.web.templatetags.web import day as written

__all__ = ["end_lead", "give_lead"]


@transaction.atomic
def give_lead(
    *,
    holder_position: Position | None,
    holder_person: Person | None,
    field: str,
    powers: Iterable[str],
    from_day: date,
    by: Actor,
    to_day: date | None = None,
    unit: Unit | None = None,
    named: Sequence[Person] = (),
    group: Group | None = None,
) -> Lead:
    """A lead from a day on. Raises LeadIncomplete, LeadOverOneself, DaysInWrongOrder."""
    policy.require(by, "change leads")
    if to_day is not None and to_day < from_day:
        raise DaysInWrongOrder(from_day, to_day, "to_day")
    if (holder_position is None) == (holder_person is None):
        raise LeadIncomplete("Say who holds it: a position, or a person by name, not both.", "holder_position")
    if field == Lead.Field.UNIT and unit is None:
        raise LeadIncomplete("Say which unit.", "unit")
    if field == Lead.Field.NAMED and not named and group is None:
        raise LeadIncomplete("Name at least one person, or a group.", "named")
    if holder_person is not None and holder_person in named:
        raise LeadOverOneself(holder_person.name)
    lead = Lead.objects.create(
        holder_position=holder_position,
        holder_person=holder_person,
        field=field,
        unit=unit if field == Lead.Field.UNIT else None,
        named=sorted(p.pk for p in named) if field == Lead.Field.NAMED else [],
        group=group if field == Lead.Field.NAMED else None,
        powers=[str(p) for p in Power if str(p) in set(powers)],
        from_day=from_day,
        to_day=to_day,
    )
    data = {
        "what": describe_lead(lead),
        "powers": ", ".join(in_words(lead.powers)) or "nothing yet",
        "day": written(from_day),
    }
    record("give_lead", by=by, about=_about(lead), data=data, rows=[lead])
    return lead


@transaction.atomic
def end_lead(*, lead: Lead, to_day: date, by: Actor) -> Lead:
    """The last day of a lead. Raises DaysInWrongOrder."""
    policy.require(by, "change leads", lead)
    if to_day < lead.from_day:
        raise DaysInWrongOrder(lead.from_day, to_day, "to_day")
    ended = lead.succeeded_by(to_day=to_day)
    data = {"what": describe_lead(lead), "day": written(to_day)}
    record("end_lead", by=by, about=_about(lead), data=data, rows=[lead, ended])
    return ended


def _about(lead: Lead) -> Named:
    holder = lead.holder_position or lead.holder_person
    assert holder is not None
    kind = "position" if lead.holder_position else "person"
    return Named(kind, holder.public_id, str(holder))
