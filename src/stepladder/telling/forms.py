"""What is said of a notice rule, and of quiet days."""

from __future__ import annotations

from datetime import date
from typing import Any

from django import forms

from stepladder.accounts.organisation import calendar
from stepladder.core.days import AmbiguousDay, DayError, read_day
from stepladder.people.forms.fields import PersonChoice
from stepladder.people.models import Person
from stepladder.telling.actions import LONGEST_OFFSET, RuleSaid
from stepladder.telling.models import OF_NOBODY, NoticeRule
from stepladder.web.forms import CommonForm

__all__ = ["QuietForm", "RuleForm"]

WEEKDAYS = list(enumerate(["Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"]))
# Who can be told of what is of nobody in particular.
SPOKEN_TO_OF_NOBODY = {NoticeRule.To.CONTACT, NoticeRule.To.ADMINISTRATORS}
# So many dates are kept: some years of them.
MOST_DATES = 400


class RuleForm(CommonForm, forms.Form):
    """A rule: so many days before or after a day, to whom, with which words."""

    days = forms.IntegerField(label="Days", min_value=0, max_value=LONGEST_OFFSET)
    side = forms.ChoiceField(label="that is", choices=[("before", "before, or on it"), ("after", "after")])
    moment = forms.ChoiceField(
        label="which day",
        choices=[
            (NoticeRule.Moment.DUE, "the due day"),
            (NoticeRule.Moment.EXPIRY, "the last valid day"),
            (NoticeRule.Moment.COMPLETED, "the day on which it is completed"),
            (NoticeRule.Moment.ALL_DONE, "the day on which everybody of an assignment has done it"),
            (NoticeRule.Moment.MARKING, "the day from which something waits to be marked"),
        ],
    )
    to = forms.MultipleChoiceField(
        label="It tells", choices=NoticeRule.To.choices, required=False, widget=forms.CheckboxSelectMultiple
    )
    named = PersonChoice(label="And these people")
    words = forms.CharField(
        label="Words to add",
        max_length=1000,
        required=False,
        widget=forms.Textarea(attrs={"rows": 3}),
        help_text="They stand below what is to be done, once, however many things a message names.",
    )
    many = forms.BooleanField(label="Yes, tell all of them", required=False)

    @classmethod
    def first_of(cls, rule: NoticeRule | None) -> dict[str, Any]:
        """What stands in the form before anybody has written."""
        if rule is None:
            return {"days": 7, "side": "before", "moment": NoticeRule.Moment.DUE, "to": [NoticeRule.To.PERSON]}
        return {
            "days": abs(rule.offset),
            "side": "after" if rule.offset > 0 else "before",
            "moment": rule.moment,
            "to": rule.to,
            "words": rule.words,
        }

    def said(self) -> RuleSaid:
        """What was said, of a form that is in order."""
        data = self.cleaned_data
        offset = data["days"] if data["side"] == "after" else -data["days"]
        return RuleSaid(data["moment"], offset, data["to"], list(data["named"]), data["words"])

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        moment, days = data.get("moment"), data.get("days")
        if moment in (NoticeRule.Moment.COMPLETED, NoticeRule.Moment.ALL_DONE) and days:
            self.add_error("days", "What is completed is told with the next run: 0 days.")
        if moment == NoticeRule.Moment.MARKING and days and data.get("side") == "before":
            self.add_error("side", "It is told so many days after it was handed in.")
        if moment in OF_NOBODY and not set(data.get("to", ())) <= SPOKEN_TO_OF_NOBODY:
            self.add_error("to", "It is of nobody in particular: tell the contact, administrators, or people by name.")
        if data.get("days") == 0 and data.get("side") == "after":
            self.add_error("days", "0 is the day itself: choose “before, or on it”.")
        return data

    def boxes(self, first: list[Person]) -> list[tuple[str, str, list[Person]]]:
        """The box that names people: (field, title, those named)."""
        field: Any = self.fields["named"]
        return [("named", field.label, field.chosen(self.data, "named") if self.is_bound else first)]


class QuietForm(CommonForm, forms.Form):
    """On which days nothing is sent, and from which hour on the others."""

    weekdays = forms.TypedMultipleChoiceField(
        label="Nothing is sent on", choices=WEEKDAYS, coerce=int, required=False, widget=forms.CheckboxSelectMultiple
    )
    tells_at = forms.IntegerField(label="On other days from, o’clock", min_value=0, max_value=23)
    dates = forms.CharField(
        label="Nor on these dates",
        required=False,
        max_length=20_000,
        widget=forms.Textarea(attrs={"rows": 8, "spellcheck": "false"}),
        help_text="One a line, with what it is called: “2 Apr 2027 Good Friday”. A list can be pasted.",
    )

    def clean_dates(self) -> list[tuple[date, str]]:
        """Each line a day and a name. A line that cannot be read is named, and nothing of the list is lost."""
        found, wrong = [], []
        lines = [line.strip() for line in self.cleaned_data["dates"].splitlines()]
        for number, line in enumerate(lines, 1):
            if not line:
                continue
            try:
                found.append(_read(line))
            except DayError as error:
                wrong.append(f"Line {number}, “{line[:60]}”: {error}")
        if len(found) > MOST_DATES:
            wrong.append(f"At most {MOST_DATES} dates: leave out what is past.")
        if wrong:
            raise forms.ValidationError([*wrong[:10], *([f"And {len(wrong) - 10} more."] if len(wrong) > 10 else [])])
        return found


def _read(line: str) -> tuple[date, str]:
    """A day and what follows it. Raises DayError."""
    words = line.replace("\t", " ").replace(";", " ").split()
    trouble: list[DayError] = []
    # The longest beginning that is a day: “2 Apr 2027 Good Friday”, “2027-04-02, Good Friday”.
    for length in range(min(4, len(words)), 0, -1):
        text = " ".join(words[:length]).rstrip(",:")
        try:
            return read_day(text, order=calendar().order), " ".join(words[length:])[:80]
        except DayError as error:
            trouble.append(error)
    # What could be two days says more than what is none.
    raise next((error for error in trouble if isinstance(error, AmbiguousDay)), trouble[0])
