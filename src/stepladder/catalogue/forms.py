"""What is said in the catalogue."""

from __future__ import annotations

from datetime import time
from typing import Any

from django import forms

from stepladder.courses.models import Course, CourseState, Path
from stepladder.web.day_fields import DayField
from stepladder.web.forms import CommonForm

__all__ = ["AskForm", "DecisionForm", "HourForm", "PassOnForm", "PostForm", "RateForm"]


class BesideOthers(CommonForm, forms.Form):
    """A form that stands beside others on one page: its fields' labels are theirs alone."""

    called = ""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        kwargs.setdefault("auto_id", f"{self.called}_%s")
        super().__init__(*args, **kwargs)


class AskForm(BesideOthers):
    called = "ask"
    words = forms.CharField(
        label="Say to whoever decides why",
        max_length=2000,
        required=False,
        widget=forms.Textarea(attrs={"rows": 3}),
    )


class DecisionForm(CommonForm, forms.Form):
    """A decision on a request."""

    decision = forms.ChoiceField(choices=[("yes", "approve"), ("no", "refuse")])
    answer = forms.CharField(
        label="Words to them", max_length=2000, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    may_ask_again = forms.BooleanField(label="they may ask again at once", required=False)


class RateForm(BesideOthers):
    called = "rate"
    points = forms.TypedChoiceField(
        label="How was it?",
        choices=[(n, str(n)) for n in range(1, 6)],
        coerce=int,
        widget=forms.RadioSelect,
    )
    words = forms.CharField(
        label="Words to its author, to nobody else",
        max_length=2000,
        required=False,
        widget=forms.Textarea(attrs={"rows": 2}),
    )


class PassOnForm(BesideOthers):
    """To whom: by name, number or address, one a line or parted by commas."""

    called = "pass"

    to = forms.CharField(
        label="To whom",
        max_length=2000,
        required=False,
        widget=forms.Textarea(attrs={"rows": 2}),
        help_text="Names, employee numbers, e-mail addresses or a group that you are in, parted by commas or lines.",
    )
    words = forms.CharField(label="A word with it", max_length=300, required=False)


class HourForm(BesideOthers):
    """An hour to learn, for one's own calendar."""

    called = "hour"

    day = DayField(label="On")
    at = forms.TimeField(label="at", initial=time(10, 0), widget=forms.TimeInput(attrs={"type": "time"}))
    minutes = forms.IntegerField(label="for so many minutes", min_value=5, max_value=480, initial=60)


class PostForm(CommonForm, forms.Form):
    """What is put on the noticeboard. Whom the reach means is sent beside it."""

    thing = forms.CharField(label="What: its title", max_length=200)
    # Which of several with that title, where one comes from its sheet.
    exact = forms.CharField(required=False, max_length=40, widget=forms.HiddenInput)
    words = forms.CharField(label="Why it should be seen", max_length=300, widget=forms.Textarea(attrs={"rows": 2}))
    from_day = DayField(label="From")
    to_day = DayField(label="To, and that day too")
    who = forms.ChoiceField(
        label="Seen by",
        choices=[("all", "whoever may find it"), ("reach", "of them whoever is in this reach")],
        widget=forms.RadioSelect,
        initial="all",
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        if title := data.get("thing"):
            data["thing"] = self._found(" ".join(title.split()), data.pop("exact", ""))
        return data

    def _found(self, title: str, exact: str) -> Course | Path | None:
        """The released course or path of that title; of several the one that was come from."""
        released: dict[str, Any] = {"state": CourseState.RELEASED, "title__iexact": title}
        rows: list[Course | Path] = [*Course.objects.filter(**released), *Path.objects.filter(**released)]
        if len(rows) > 1:
            rows = [row for row in rows if row.public_id == exact] or rows
        if len(rows) == 1:
            return rows[0]
        why = (
            "No released course or path has this title."
            if not rows
            else "Several have this title: go there from its sheet."
        )
        self.add_error("thing", why)
        return None
