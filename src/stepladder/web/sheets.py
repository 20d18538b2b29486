"""Sheets that save themselves: field by field, never over somebody else's newer change."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render

from stepladder import clock
from stepladder.core.numbers import whole_number
from stepladder.refusals import Refusal
from stepladder.web.models import Sheet

__all__ = ["TOUCHED", "Difference", "NewerChange", "save_sheet", "touch"]


@dataclass(frozen=True)
class Difference:
    """A field as it is now and as one wanted it."""

    label: str
    theirs: str
    mine: str


class NewerChange(Refusal):
    """Somebody else changed the sheet since it was opened; nothing was overwritten."""

    def __init__(self, sheet: Sheet) -> None:
        self.sheet = sheet
        super().__init__(f"{sheet.changed_by} changed this sheet in the meantime. Nothing of yours was saved yet.")


# What `touch` changes: saved with what an act changes, and nothing else is, so that nobody's change is undone unseen.
TOUCHED = ("revision", "changed_at", "changed_by")


def touch(sheet: Sheet, *, revision: int | None, by_name: str) -> None:
    """Check that *revision* is the newest (None: not asked), and count one up. Call inside the transaction."""
    # Read anew: the one at hand may be as old as the page it was loaded for.
    current = type(sheet)._base_manager.only("revision", "changed_by", "changed_at").get(pk=sheet.pk)
    if revision is not None and current.revision != revision:
        raise NewerChange(current)
    sheet.revision = current.revision + 1
    sheet.changed_at = clock.now()
    sheet.changed_by = by_name


def save_sheet(
    request: HttpRequest, form: forms.BaseForm, sheet: Sheet, act: Callable[[Mapping[str, Any], int | None], Sheet]
) -> HttpResponse:
    """Answer a sheet that saves itself: *saved hh:mm*, the errors beside their fields, or both versions side by side.

    *act* takes the cleaned data and the revision that the sheet was opened at (None where one overwrites knowingly).
    """
    if not form.is_valid():
        response = render(request, "web/saved.html", {"errors": form.errors.get_json_data()}, status=422)
        response.headers["HX-Trigger"] = json.dumps({"sheet:errors": {k: v[0] for k, v in form.errors.items()}})
        return response
    revision = None if request.POST.get("overwrite") else whole_number(request.POST.get("revision")) or 0
    try:
        saved = act(form.cleaned_data, revision)
    except NewerChange as newer:
        now = type(sheet)._base_manager.get(pk=sheet.pk)
        context = {"newer": newer, "sheet": now, "differences": _differences(form, now)}
        return render(request, "web/conflict.html", context, status=409)
    response = render(request, "web/saved.html", {"sheet": saved, "at": clock.now()})
    response.headers["HX-Trigger"] = json.dumps({"sheet:saved": {"revision": saved.revision}})
    return response


def _differences(form: forms.BaseForm, sheet: Sheet) -> list[Difference]:
    found = []
    for name, field in form.fields.items():
        if name not in form.cleaned_data:
            continue
        words = {str(key): str(label) for key, label in getattr(field, "choices", ())}
        theirs = _in_words(getattr(sheet, name, None), words)
        mine = _in_words(form.cleaned_data[name], words)
        if theirs != mine:
            found.append(Difference(str(field.label or name), theirs or "–", mine or "–"))
    return found


def _in_words(value: Any, words: Mapping[str, str]) -> str:
    """What a field holds, as people read it; of rows and keys, those of a choice by its words."""
    if hasattr(value, "all"):
        value = [getattr(row, "public_id", row) if words else row for row in value.all()]
    if isinstance(value, list):
        return ", ".join(sorted(words.get(str(one), str(one)) for one in value))
    return words.get(str(value), str(value or ""))
