"""Revoking and correcting a completion from the record: what that does to how its person stands, told before it is done."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date
from typing import Any

from django import forms
from django.db import transaction

from stepladder import clock, events
from stepladder.assignments.queries import requirements
from stepladder.core.days import FOREVER
from stepladder.core.requirements import Requirement
from stepladder.learning.models import Completion
from stepladder.learning.queries import course_titles
from stepladder.people.models import Person
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm
from stepladder.web.templatetags.web import day as written

__all__ = ["CorrectForm", "RevokeForm", "foretold"]


class RevokeForm(CommonForm, forms.Form):
    """Why a completion never was."""

    because = forms.CharField(
        label="Why",
        max_length=200,
        help_text="It stands in the journal. On the days before today it stays known, as it was.",
    )


class CorrectForm(CommonForm, forms.Form):
    """On which day it was really completed, and until when it counts where that is of its own."""

    day = DayField(label="Completed on")
    own_expiry = DayField(
        label="Counts until",
        required=False,
        help_text="Only where it has an expiry of its own, as on paper from outside. Empty: what the course says.",
    )
    because = forms.CharField(
        label="Why",
        max_length=200,
        help_text="It stands in the journal. On the days before today it stays known as it was.",
    )


def foretold(completion: Completion, act: Callable[[], object], *, is_revoked: bool = True) -> list[events.EffectLine]:
    """How the person stands after it, where that is other than now: the act is rehearsed and rolled back."""
    person, today = completion.person, clock.today()
    before = _standing(person, today)
    with transaction.atomic():
        with events.held():
            act()
        after = _standing(person, today)
        transaction.set_rollback(True)
    titles: dict[Any, str] = course_titles()
    lines = [
        events.EffectLine(f"{titles[course]}: {_in_words(before.get(course))} → {_in_words(after.get(course))}")
        for course in sorted(before.keys() | after.keys(), key=lambda key: titles[key])
        if before.get(course) != after.get(course)
    ]
    if not lines:
        lines = [events.EffectLine(f"{person.name} stands as before with everything that is asked of them.")]
    shown = "as revoked" if is_revoked else "with the corrected days"
    return [*lines, events.EffectLine(f"Certificate {completion.number} is shown {shown} to whoever checks it.")]


def _standing(person: Person, day: date) -> dict[int, Requirement]:
    return {row.course: row.requirement for row in requirements(people=[person.pk], day=day)}


def _in_words(required: Requirement | None) -> str:
    if required is None:
        return "not asked for"
    if required.valid_until is not None:
        until = "for ever" if required.valid_until == FOREVER else f"until {written(required.valid_until)}"
        return f"{required.status}, {until}"
    return f"{required.status}, due {written(required.due)}" if required.due else str(required.status)
