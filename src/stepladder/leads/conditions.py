"""Finding people by the leads they hold."""

from __future__ import annotations

from datetime import date

from django.db.models import Exists, OuterRef, Q

from stepladder.leads.models import Lead
from stepladder.people.conditions import add_condition
from stepladder.people.models import Placement
from stepladder.people.queries import valid_on

__all__ = ["register"]


def _by_hand(day: date) -> Exists:
    return Exists(Lead.objects.filter(valid_on(day), holder_person=OuterRef("pk")))


def _leads(day: date) -> Q:
    led = Lead.objects.filter(valid_on(day), holder_position__isnull=False).values("holder_position")
    return Q(_by_hand(day)) | Q(
        Exists(Placement.objects.filter(valid_on(day), position__in=led, person=OuterRef("pk")))
    )


def register() -> None:
    """Hand in who leads, and who does so by a lead given to them by name."""
    add_condition("who lead somebody", _leads)
    add_condition("with a lead by name", _by_hand)
