"""What is asked where banks and quizzes are made."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from django import forms

from stepladder.core.quizzes import Conditions, Counts, Shows, When
from stepladder.library.models import Binder
from stepladder.quizzes.models import Question
from stepladder.web.forms import CommonForm

__all__ = [
    "AllowForm",
    "BankForm",
    "ConditionsForm",
    "DrawForm",
    "NewBankForm",
    "NewQuizForm",
    "PasteForm",
    "ReleaseForm",
    "SectionForm",
]

MOST_TEXT_BYTES = 8 * 1024**2
_DIFFICULTIES = [("", "any"), *Question.Difficulty.choices]


class BankForm(CommonForm, forms.Form):
    """A bank's name and what it is for."""

    name = forms.CharField(label="Name", max_length=160)
    note = forms.CharField(label="What it is for", required=False, widget=forms.Textarea(attrs={"rows": 2}))


class NewBankForm(BankForm):
    """A bank, in a binder."""

    binder = forms.ChoiceField(label="Binder", help_text="Whoever edits the binder writes its questions.")

    def __init__(self, *args: Any, binders: Sequence[Binder], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["binder"].choices = [(one.public_id, one.name) for one in binders]  # type: ignore[attr-defined]


class PasteForm(CommonForm, forms.Form):
    """Questions as text, pasted or as a file."""

    text = forms.CharField(
        label="Questions as text",
        required=False,
        strip=False,
        widget=forms.Textarea(attrs={"rows": 18, "spellcheck": "true"}),
    )
    file = forms.FileField(
        label="Or a file",
        required=False,
        help_text="Text in the form shown beside (.txt), a table (.csv, .xlsx), or items of QTI 2.1 or 3.0 (.zip, .xml).",
        widget=forms.FileInput(attrs={"accept": ".txt,.md,.csv,.xlsx,.zip,.xml"}),
    )

    def clean(self) -> dict[str, Any]:
        data = super().clean() or {}
        sent = data.get("file")
        if not data.get("text", "").strip() and not sent:
            self.add_error("text", "Paste questions here, or choose a file.")
        if sent and sent.size > MOST_TEXT_BYTES:
            self.add_error("file", f"This file is larger than {MOST_TEXT_BYTES // 1024**2} MB. Bring it in parts.")
        return data


class NewQuizForm(CommonForm, forms.Form):
    """A quiz to be planned."""

    title = forms.CharField(label="Title", max_length=200)
    description = forms.CharField(label="Description", required=False, widget=forms.Textarea(attrs={"rows": 2}))


class DrawForm(CommonForm, forms.Form):
    """A draw from a bank."""

    bank = forms.ChoiceField(label="From")
    count = forms.IntegerField(label="How many", min_value=1, max_value=200, initial=5)
    topic = forms.CharField(label="On", max_length=80, required=False)
    difficulty = forms.ChoiceField(label="How hard", choices=_DIFFICULTIES, required=False)
    skill = forms.CharField(label="Skill", max_length=80, required=False)
    points = forms.IntegerField(label="Points each", min_value=1, max_value=100, initial=1)

    def __init__(self, *args: Any, banks: Sequence[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["bank"].choices = list(banks)  # type: ignore[attr-defined]


class SectionForm(CommonForm, forms.Form):
    """What stands above a section, and what it weighs."""

    title = forms.CharField(label="Title", max_length=200, required=False)
    intro = forms.CharField(
        label="Words above its questions", max_length=2000, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    weight = forms.IntegerField(
        label="Weighs", min_value=1, max_value=100, required=False, help_text="Empty: by its points."
    )


_COUNTS = [
    (Counts.BEST.value, "the best one"),
    (Counts.LAST.value, "the last one"),
    (Counts.FIRST.value, "the first one"),
]
_SHOWS = [
    (Shows.NOTHING.value, "nothing"),
    (Shows.SCORE.value, "the score"),
    (Shows.WHICH.value, "which answers were right"),
    (Shows.RIGHT.value, "the right answers too"),
]
_WHEN = [
    (When.AT_ONCE.value, "at once"),
    (When.PASSED.value, "once one has passed"),
    (When.LAST.value, "once one has passed or used all attempts"),
]


class ConditionsForm(CommonForm, forms.Form):
    """How a quiz is taken, passed and told."""

    pass_mark = forms.DecimalField(
        label="Passed at, in %", min_value=0, max_value=100, required=False, max_digits=6, decimal_places=3,
        help_text="Empty: whoever hands it in.",
    )  # fmt: skip
    minutes = forms.IntegerField(
        label="Time, in minutes", min_value=1, max_value=1440, required=False, help_text="Empty: as long as one likes."
    )
    attempts = forms.IntegerField(
        label="Attempts", min_value=1, max_value=100, required=False, help_text="Empty: any number."
    )
    pause_hours = forms.IntegerField(label="Pause between two, in hours", min_value=0, max_value=8784, required=False)
    counts = forms.ChoiceField(label="What counts", choices=_COUNTS)
    shows = forms.ChoiceField(label="Afterwards one sees", choices=_SHOWS)
    when = forms.ChoiceField(label="When", choices=_WHEN)
    is_one_at_a_time = forms.BooleanField(label="One question at a time", required=False)
    is_mixed = forms.BooleanField(label="Questions in a mixed order", required=False)
    marked_twice = forms.IntegerField(
        label="Marked by two, in %", min_value=0, max_value=100, required=False,
        help_text="Of what people judge; neither of the two sees what the other gave.",
    )  # fmt: skip

    @classmethod
    def of(cls, conditions: Conditions) -> ConditionsForm:
        said = {name: getattr(conditions, name) for name in cls.base_fields}
        mark = conditions.pass_mark
        said["pass_mark"] = None if mark is None else f"{float(mark):g}"
        return cls(initial=said | {name: said[name].value for name in ("counts", "shows", "when")})

    def conditions(self) -> dict[str, Any]:
        said = dict(self.cleaned_data)
        mark = said["pass_mark"]
        said["pass_mark"] = None if mark is None else f"{mark:f}"
        return said | {"pause_hours": said["pause_hours"] or 0, "marked_twice": said["marked_twice"] or 0}


class ReleaseForm(CommonForm, forms.Form):
    """What is new in the version."""

    note = forms.CharField(label="What is new in it", max_length=300, required=False)


class AllowForm(CommonForm, forms.Form):
    """More time and attempts for somebody."""

    extra_time = forms.IntegerField(label="More time, in %", min_value=0, max_value=400, required=False)
    extra_attempts = forms.IntegerField(label="More attempts", min_value=0, max_value=20, required=False)
    quiz = forms.ChoiceField(label="Where", required=False)
    because = forms.CharField(label="Why", max_length=300)

    def __init__(self, *args: Any, quizzes: Sequence[tuple[str, str]], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["quiz"].choices = [("", "in every quiz"), *quizzes]  # type: ignore[attr-defined]
