"""The assignment form: a course, when it is due, and why. Whom it reaches is read by people.reach_forms."""

from __future__ import annotations

from typing import Any

from django import forms
from django.db.models import Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.organisation import organisation
from stepladder.assignments.models import Assignment, AssignmentRule
from stepladder.courses.models import Course, CourseState, Path
from stepladder.courses.paths import edition_of, stages_of
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["AssignForm", "EndForm", "WaiverForm"]


class AskedChoice(forms.ChoiceField):
    """A released course or path, by its public id."""

    def __init__(self, **kwargs: Any) -> None:
        # What is for somebody's own people is listed for those alone who see it (AssignForm.listed_for).
        self._paths = Q(kept_by__isnull=True)
        super().__init__(choices=self._choices_now, **kwargs)

    def list_paths(self, paths: Q) -> None:
        """The released paths that are listed from now on, in this form alone."""
        self._paths, self.choices = paths, self._choices_now

    def _choices_now(self) -> list[Any]:
        """What can be assigned today."""
        courses = Course.objects.filter(state=CourseState.RELEASED).order_by("title")
        paths = Path.objects.filter(self._paths, state=CourseState.RELEASED).order_by("title")
        listed: list[Any] = [("", "Choose what is released")]
        if paths:
            listed.append(("Paths", [(path.public_id, path.title) for path in paths]))
        return [*listed, ("Courses", [(course.public_id, course.title) for course in courses])]

    def clean(self, value: Any) -> Any:
        key = super().clean(value)
        found = Path.objects.filter(public_id=key).first()
        return found or Course.objects.get(public_id=key)


class AssignForm(CommonForm, forms.Form):
    DUE = [
        ("after", "so many days after"),
        ("day", "on a day"),
        ("end", "by the end of"),
        ("none", "no day (a suggestion)"),
    ]
    AFTER = [c for c in AssignmentRule.Trigger.choices if c[0] in ("opening", "placement", "hire", "start")]
    ENDS = [("week", "the week"), ("month", "the month"), ("quarter", "the quarter"), ("year", "the year")]

    course = AskedChoice(label="Course or path")
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
    due_days = forms.IntegerField(
        label="Days",
        min_value=0,
        max_value=3650,
        required=False,
        help_text="Empty: 30, or as a path’s last stage says.",
    )
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
    later_message = forms.CharField(
        label="To who comes in after its first day",
        required=False,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="Read instead of the words above. Empty: the same.",
    )

    def listed_for(self, account: Any) -> None:
        """With the paths that the account sees of those for somebody's own people."""
        seen = policy.visible(account, "see paths", Path.objects.filter(kept_by__isnull=False))
        field: Any = self.fields["course"]
        field.list_paths(Q(kept_by__isnull=True) | Q(pk__in=seen.values("pk")))

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        due = data.get("due")
        if due == "day" and not data.get("due_day"):
            self.add_error("due_day", "Say which day.")
        if due == "after" and data.get("due_days") is None and "due_days" not in self.errors:
            data["due_days"] = _days_of(data.get("course"))
        if due == "none" and data.get("is_mandatory"):
            self.add_error("due", "What is mandatory needs a day to be done by. Choose one, or make it a suggestion.")
        start, end = data.get("start"), data.get("end")
        if start and end and end < start:
            self.add_error("end", "It would end before it starts. Choose a later end, or none.")
        if start and due == "day" and data.get("due_day") and data["due_day"] < start:
            self.add_error("due_day", "It would be due before it starts. Choose a later day.")
        return data

    @classmethod
    def initial_of(cls, assignment: Assignment, rule: AssignmentRule) -> dict[str, Any]:
        """What the form begins with, to change an assignment."""
        due = "day" if rule.due_day else "none"
        if rule.due_trigger:
            due = "after" if rule.due_trigger in dict(cls.AFTER) else "end"
        asked = assignment.course or assignment.path
        return {
            "course": asked.public_id if asked else "",
            "name": assignment.name,
            "message": assignment.message,
            "later_message": assignment.later_message,
            "is_mandatory": "1" if rule.is_mandatory else "",
            "is_one_off": "1" if rule.is_one_off else "",
            "start": rule.start,
            "end": rule.end,
            "due": due,
            "due_days": rule.due_days if due == "after" else None,
            "due_after": rule.due_trigger if due == "after" else "opening",
            "due_day": rule.due_day,
            "due_end": rule.due_trigger if due == "end" else "quarter",
            "notice_days": rule.notice_days,
            "taken_from": rule.taken_from,
        }

    def only_for(self, assignment: Assignment) -> None:
        """What is asked for stays what it is."""
        asked = assignment.course or assignment.path
        assert asked is not None
        field: Any = self.fields["course"]
        field.choices, field.disabled = [(asked.public_id, asked.title)], True

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


DAYS = 30


def _days_of(asked: Any) -> int:
    """How many days there are where nobody says: a path's last stage says it, else thirty."""
    edition = edition_of(asked) if isinstance(asked, Path) else None
    windows = [stage.window_days for stage in stages_of(edition) if stage.window_days is not None] if edition else []
    return max(windows, default=DAYS)


class EndForm(CommonForm, forms.Form):
    end = DayField(label="Last day", initial=clock.today)


class WaiverForm(CommonForm, forms.Form):
    course = forms.ModelChoiceField(
        Course.objects.order_by("title"), label="Course", to_field_name="public_id", empty_label="Choose a course"
    )
    from_day = DayField(label="From", initial=clock.today)
    to_day = DayField(label="To", required=False, help_text="Empty: until it is taken back.")
    reason = forms.CharField(label="Why", max_length=300)
