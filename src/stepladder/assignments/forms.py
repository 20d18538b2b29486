"""The assignment form: a course, whom it reaches, when it is due, and why."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms
from django.http import QueryDict

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.models import AssignmentRule
from stepladder.courses.models import Course, CourseState
from stepladder.people.forms import DayField
from stepladder.people.models import Person

__all__ = ["AssignForm", "EndForm", "Group", "WaiverForm", "read_groups", "stored_reach"]

MOST_GROUPS = 6


class Group:
    """One group of conditions as the form sends it: any, all or none of what is ticked in it."""

    def __init__(self, data: Mapping[str, Any] | QueryDict, number: int) -> None:
        self.number = number
        self.mode = str(data.get(f"g{number}-mode", "any"))
        self.units = _keys(data, f"g{number}-unit")
        self.with_below = data.get(f"g{number}-below", "1") == "1"
        self.positions = _keys(data, f"g{number}-position")
        self.hired = _days(data, f"g{number}-hired")
        self.placed = _days(data, f"g{number}-placed")
        self.kind = str(data.get(f"g{number}-kind", ""))

    @property
    def conditions(self) -> list[dict[str, Any]]:
        """As a stored reach has them."""
        found: list[dict[str, Any]] = [{"kind": "unit", "unit": u, "below": self.with_below} for u in self.units]
        found += [{"kind": "position", "position": p} for p in self.positions]
        if self.hired is not None:
            found.append({"kind": "hired within", "days": self.hired})
        if self.placed is not None:
            found.append({"kind": "placed within", "days": self.placed})
        if self.kind:
            found.append({"kind": "employment", "value": self.kind})
        return found


def _keys(data: Any, name: str) -> list[int]:
    values = data.getlist(name) if isinstance(data, QueryDict) else []
    return [int(value) for value in values if value.isdecimal()]


def _days(data: Any, name: str) -> int | None:
    value = str(data.get(name, ""))
    return min(int(value), 3650) if value.isdecimal() else None


def read_groups(data: Mapping[str, Any] | QueryDict) -> list[Group]:
    """The groups of a form, at least one."""
    count = str(data.get("groups", "1"))
    number = min(int(count), MOST_GROUPS) if count.isdecimal() else 1
    return [Group(data, n) for n in range(max(number, 1))]


def stored_reach(data: QueryDict) -> dict[str, Any]:
    """The reach that a form means: its groups combined, named people in and out. Empty groups say nothing."""
    parts = [{"kind": g.mode, "parts": g.conditions} for g in read_groups(data) if g.conditions]
    join = "any" if data.get("join") == "any" else "all"
    people = dict(
        Person.objects.filter(public_id__in=data.getlist("named_in") + data.getlist("named_out")).values_list(
            "public_id", "pk"
        )
    )
    if data.get("everyone"):
        condition: dict[str, Any] | None = {"kind": "all", "parts": []}
    else:
        condition = {"kind": join, "parts": parts} if parts else None
    return {
        "in": condition,
        "named_in": [people[k] for k in data.getlist("named_in") if k in people],
        "named_out": [people[k] for k in data.getlist("named_out") if k in people],
    }


class AssignForm(forms.Form):
    DUE = [
        ("after", "so many days after"),
        ("day", "on a day"),
        ("end", "by the end of"),
        ("none", "no day (a suggestion)"),
    ]
    AFTER = [c for c in AssignmentRule.Trigger.choices if c[0] in ("opening", "placement", "hire", "start")]
    ENDS = [("week", "the week"), ("month", "the month"), ("quarter", "the quarter"), ("year", "the year")]

    course = forms.ModelChoiceField(
        Course.objects.filter(state=CourseState.RELEASED).order_by("title"),
        label="Course",
        to_field_name="public_id",
        empty_label="Choose a released course",
    )
    name = forms.CharField(label="Called", max_length=160, help_text="As the reason it is to be done: “All crews”.")
    is_mandatory = forms.TypedChoiceField(
        label="It is",
        choices=[("1", "mandatory"), ("", "suggested")],
        coerce=bool,
        required=False,
        initial="1",
        empty_value="",
    )
    is_one_off = forms.TypedChoiceField(
        label="For",
        choices=[
            ("", "standing: kept true as people come, go and move"),
            ("1", "one-off: the people of its start day"),
        ],
        coerce=bool,
        required=False,
        empty_value="",
    )
    start = DayField(label="From", initial=clock.today)
    end = DayField(label="Until", required=False, help_text="Empty: it runs on.")
    due = forms.ChoiceField(label="Due", choices=DUE, initial="after")
    due_days = forms.IntegerField(label="Days", min_value=0, max_value=3650, required=False, initial=30)
    due_after = forms.ChoiceField(label="After", choices=AFTER, required=False, initial="opening")
    due_day = DayField(label="Day", required=False)
    due_end = forms.ChoiceField(label="End of", choices=ENDS, required=False, initial="quarter")
    notice_days = forms.IntegerField(
        label="Minimum notice, days",
        min_value=0,
        max_value=365,
        initial=lambda: organisation().notice_days,
        help_text="Nobody who comes in late has less time than this.",
    )
    taken_from = DayField(
        label="Only what was taken on or after",
        required=False,
        help_text="Empty: earlier training counts while it is valid.",
    )
    message = forms.CharField(
        label="Why",
        required=False,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="Everybody it reaches reads this.",
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        due = data.get("due")
        if due == "day" and not data.get("due_day"):
            self.add_error("due_day", "Say which day.")
        if due == "after" and data.get("due_days") is None:
            self.add_error("due_days", "Say how many days.")
        if due == "none" and data.get("is_mandatory"):
            self.add_error("due", "What is mandatory needs a day to be done by. Choose one, or make it a suggestion.")
        start, end = data.get("start"), data.get("end")
        if start and end and end < start:
            self.add_error("end", "It would end before it starts. Choose a later end, or none.")
        if start and due == "day" and data.get("due_day") and data["due_day"] < start:
            self.add_error("due_day", "It would be due before it starts. Choose a later day.")
        return data

    def rule(self, reach: dict[str, Any]) -> AssignmentRule:
        """The rule that the form means, unsaved."""
        data = self.cleaned_data
        due = data["due"]
        trigger = {"after": data["due_after"], "end": data["due_end"]}.get(due, "")
        return AssignmentRule(
            reach=reach,
            start=data["start"],
            end=data["end"],
            is_mandatory=bool(data["is_mandatory"]),
            is_one_off=bool(data["is_one_off"]),
            due_day=data["due_day"] if due == "day" else None,
            due_trigger=trigger,
            due_days=(data["due_days"] or 0) if due == "after" else 0,
            notice_days=data["notice_days"],
            taken_from=data["taken_from"],
        )


class EndForm(forms.Form):
    end = DayField(label="Last day", initial=clock.today)


class WaiverForm(forms.Form):
    course = forms.ModelChoiceField(
        Course.objects.order_by("title"), label="Course", to_field_name="public_id", empty_label="Choose a course"
    )
    from_day = DayField(label="From", initial=clock.today)
    to_day = DayField(label="To", required=False, help_text="Empty: until it is taken back.")
    reason = forms.CharField(label="Why", max_length=300)
