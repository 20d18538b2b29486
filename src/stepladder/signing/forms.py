"""What is asked where tasks are written and signed off."""

from __future__ import annotations

import json
from typing import Any

from django import forms
from django.http import QueryDict

from stepladder.core.sign_offs import BadCheckList, CheckList, drawn_or_typed
from stepladder.identity import new_public_id
from stepladder.web.forms import CommonForm

__all__ = ["AskForm", "NewTaskForm", "ReleaseForm", "SignOffForm", "TermsForm", "criteria_sent"]

MOST_PASTED = 20_000
LONGEST_NOTE = 4_000
# Of a signature as JSON: more than core.sign_offs takes of points.
MOST_SIGNATURE = 60_000


class NewTaskForm(CommonForm, forms.Form):
    """What a task is called."""

    title = forms.CharField(label="Title", max_length=200)
    description = forms.CharField(label="What it is about", required=False, widget=forms.Textarea(attrs={"rows": 2}))


class ReleaseForm(CommonForm, forms.Form):
    """What is new in the version."""

    note = forms.CharField(label="What is new in it", max_length=300, required=False)


class TermsForm(CommonForm, forms.Form):
    """How a task is signed off."""

    needed = forms.IntegerField(
        label="How many must be met", required=False, min_value=1, help_text="Empty: all of them."
    )
    minutes = forms.IntegerField(label="Minutes it takes as a rule", min_value=1, max_value=1440)
    days_back = forms.IntegerField(
        label="Days that may be signed off later",
        min_value=0,
        max_value=365,
        help_text="What was seen on an earlier day is signed off with a reason. 0: only what is seen today.",
    )
    asks_photo = forms.BooleanField(label="It is done only with a photo", required=False)
    is_signed_by_learner = forms.BooleanField(label="Whoever did it signs as well", required=False)

    @classmethod
    def of(cls, check_list: CheckList) -> TermsForm:
        names = ("needed", "minutes", "days_back", "asks_photo", "is_signed_by_learner")
        return cls(initial={name: getattr(check_list, name) for name in names})


def criteria_sent(sent: QueryDict) -> list[dict[str, Any]]:
    """The criteria as the page sent them, in their order; lines that were pasted below stand at the end, one a line."""
    musts = set(sent.getlist("must"))
    keys, texts, notes = (sent.getlist(name) for name in ("key", "text", "how"))
    rows = [
        {"key": key, "text": text, "note": note, "is_must": key in musts}
        for key, text, note in zip(keys, texts, notes, strict=False)
        if text.strip() or note.strip()
    ]
    pasted = sent.get("more", "")[:MOST_PASTED].splitlines()
    rows += [{"key": new_public_id()[:12], "text": line, "note": ""} for line in map(_bare, pasted) if line]
    return rows


def _bare(line: str) -> str:
    """A line of a list without its bullet or number."""
    bare = line.strip().lstrip("-*•☐□–").strip()
    head, _, rest = bare.partition(" ")
    return rest.strip() if rest and head[:-1].isdigit() and head[-1] in ".)" else bare


class AskForm(CommonForm, forms.Form):
    """Of whom a sign-off is asked, and what is said with it."""

    of = forms.CharField(required=False, max_length=20)
    words = forms.CharField(required=False, max_length=300)


class SignOffForm(CommonForm, forms.Form):
    """What was seen, and who signs."""

    key = forms.CharField(max_length=40)
    day = forms.DateField()
    minutes = forms.IntegerField(min_value=1, max_value=1440)
    note = forms.CharField(required=False, max_length=LONGEST_NOTE, widget=forms.Textarea)
    reason = forms.CharField(required=False, max_length=300)
    photo_shows = forms.CharField(required=False, max_length=200)
    # Of a browser that draws: strokes as JSON; else the name that was typed.
    signature = forms.CharField(required=False, max_length=MOST_SIGNATURE)
    signature_of_learner = forms.CharField(required=False, max_length=MOST_SIGNATURE)
    signature_typed = forms.CharField(required=False, max_length=120)
    signature_of_learner_typed = forms.CharField(required=False, max_length=120)
    ago = forms.FloatField(required=False, min_value=0)

    def clean(self) -> dict[str, Any]:
        cleaned: dict[str, Any] = {**(super().clean() or self.cleaned_data)}
        for name in ("signature", "signature_of_learner"):
            try:
                drawn = drawn_or_typed(json.loads(cleaned.get(name) or "null"))
                cleaned[name] = drawn or drawn_or_typed(cleaned.get(f"{name}_typed", ""))
            except (BadCheckList, ValueError, RecursionError):
                self.add_error(name, "The signature cannot be read. Sign once more.")
        return cleaned
