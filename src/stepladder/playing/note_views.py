"""Notes beside what one learns, and all of them in one place."""

from __future__ import annotations

import math
from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse, HttpResponseRedirect
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import urlencode
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.learning.models import Enrolment
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing import notes
from stepladder.playing.models import Note
from stepladder.playing.said import said_of
from stepladder.web import toasts
from stepladder.web.forms import CommonForm


class NoteForm(CommonForm, forms.Form):
    """What is noted, and where."""

    text = forms.CharField(
        max_length=notes.LONGEST_NOTE,
        widget=forms.Textarea,
        error_messages={"required": "Write something first; nothing was kept."},
    )
    place = forms.FloatField(required=False, min_value=0, max_value=10_000_000)

    def clean_place(self) -> float:
        place = self.cleaned_data["place"]
        return place if place is not None and math.isfinite(place) else 0.0


def _version(request: HttpRequest, enrolment: str, module: str) -> ModuleVersion:
    """The version that somebody learns by: of the attempt under way, else of the edition."""
    places = policy.visible(request.user, "learn", Enrolment.objects.all())
    found = get_object_or_404(places, public_id=enrolment)
    attempt = found.attempts.filter(module__public_id=module).select_related("version__module").last()
    if attempt is not None:
        return attempt.version
    step = get_object_or_404(found.edition.steps.select_related("version__module"), module__public_id=module)
    return step.version


@require_POST
def write(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """Keep a note; what is said and noted is answered."""
    version = _version(request, public_id, module)
    form = NoteForm(request.POST)
    trouble = ""
    if form.is_valid():
        try:
            notes.write_note(version=version, by=account_of(request), **form.cleaned_data)
        except notes.NoteGone as refusal:
            trouble = str(refusal)
    else:
        trouble = str(next(iter(form.errors.values()))[0])
    context = said_of(request.user, version, public_id) | {"trouble": trouble}
    if trouble:
        context["unkept"] = request.POST.get("text", "")[: notes.LONGEST_NOTE]
    return render(request, "playing/said.html", context)


def _note(request: HttpRequest, public_id: str) -> Note:
    shown = policy.visible(request.user, "learn", Note.objects.select_related("module", "version"))
    return get_object_or_404(shown, public_id=public_id)


@require_POST
def change(request: HttpRequest, public_id: str) -> HttpResponse:
    """Other words, or none: then the note is gone."""
    note, module = _note(request, public_id), None
    text = request.POST.get("text", "").strip()
    if len(text) > notes.LONGEST_NOTE:
        toasts.trouble(request, f"A note has at most {notes.LONGEST_NOTE} letters; the one that was there stays.")
    elif text:
        notes.change_note(note=note, text=text, by=account_of(request))
        toasts.say(request, "The note is kept.")
    else:
        module = note.module
        notes.drop_note(note=note, by=account_of(request))
        toasts.say(request, "The note is gone.")
    return redirect(f"{reverse('playing:notes')}#{(module or note.module).public_id}")


def own(request: HttpRequest) -> HttpResponse:
    """All notes of whoever asks, by module."""
    return render(request, "playing/notes.html", {"noted": notes.noted_modules(request.user)})


def markdown(request: HttpRequest) -> HttpResponse:
    """All notes as a file to keep."""
    text = notes.as_markdown(notes.noted_modules(request.user))
    response = HttpResponse(text, content_type="text/markdown; charset=utf-8")
    response.headers["Content-Disposition"] = 'attachment; filename="my-notes.md"'
    return response


def open_note(request: HttpRequest, public_id: str) -> HttpResponseRedirect:
    """Where a note was made: in the newest course of one's own that has the module; else among all notes."""
    note = _note(request, public_id)
    return redirect(place_address(request.user, note.module, note.place) or reverse("playing:notes"))


def place_address(account: Any, module: Module, place: float) -> str | None:
    """Where the account may open a module at a place; None where it has no course with it."""
    places = policy.visible(
        account, "learn", Enrolment.objects.filter(edition__steps__module=module, person__account=account)
    )
    newest = places.order_by("-opened_on", "-pk").first()
    if newest is None:
        return None
    address = reverse("playing:step", args=[newest.public_id, module.public_id])
    return f"{address}?{urlencode({'at': f'{place:g}'})}"
