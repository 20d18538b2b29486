"""Programmes: the list, and the sheet of one."""

from __future__ import annotations

from typing import Any

from django import forms
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses import programmes, queries
from stepladder.courses.errors import CourseError
from stepladder.courses.models import CourseState, Path, Programme
from stepladder.courses.programmes import ProgrammeSaid
from stepladder.library.models import Binder
from stepladder.reaches.reach_forms import chosen_reach, form_of, reach_context, sentence_of
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once
from stepladder.web.tables import page_of

HEADS = [("Title", ""), ("Binder", ""), ("Paths", ""), ("For", ""), ("", "")]


class ProgrammeForm(CommonForm, forms.Form):
    """A programme. Its paths are numbered in the order wanted; whom the reach means is sent beside it."""

    title = forms.CharField(label="Title", max_length=160)
    summary = forms.CharField(
        label="What it is for", max_length=600, required=False, widget=forms.Textarea(attrs={"rows": 2})
    )
    binder = forms.ModelChoiceField(
        Binder.objects.none(), label="Binder", empty_label=None, help_text="Its editors can change it."
    )
    who = forms.ChoiceField(
        label="It is for",
        choices=[("all", "everybody"), ("reach", "whoever is in this reach")],
        widget=forms.RadioSelect,
    )
    is_shown = forms.BooleanField(label="show it in the catalogue", required=False)

    def __init__(self, *args: Any, binders: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        field = self.fields["binder"]
        assert isinstance(field, forms.ModelChoiceField)
        field.queryset = binders


def _shown(request: HttpRequest) -> Any:
    return policy.visible(request.user, "see courses", Programme.objects.select_related("binder", "found_by"))


def programme_list(request: HttpRequest) -> HttpResponse:
    """Every programme one may see."""
    page = page_of(request, _shown(request), HEADS)
    rows = [
        (row, len(row.paths), sentence_of(row.found_by.reach) if row.found_by else "everybody") for row in page.rows
    ]
    context = {"page": page, "rows": rows, "here_programmes": True, "counts": queries.course_counts(request.user)}
    return render(request, "courses/programmes.html", context)


def new(request: HttpRequest) -> HttpResponse:
    return _answer(request, None)


def programme(request: HttpRequest, public_id: str) -> HttpResponse:
    """A programme, to be changed."""
    return _answer(request, get_object_or_404(_shown(request), public_id=public_id))


def _answer(request: HttpRequest, found: Programme | None) -> HttpResponse:
    binders = policy.visible(request.user, "change courses", Binder.objects.all())
    form = ProgrammeForm(request.POST or None, binders=binders, initial=_initial(found))
    reach = found.found_by.reach if found and found.found_by else None
    data = request.POST if request.method == "POST" else form_of(reach) if reach else QueryDict()
    choices = policy.visible(
        request.user, "see paths", Path.objects.filter(kept_by__isnull=True).exclude(state=CourseState.WITHDRAWN)
    )
    numbers = _numbers(request, found, list(choices))

    def act() -> str:
        chosen = chosen_reach(request.POST, form.cleaned_data["who"])
        names = ("title", "summary", "is_shown")
        said = ProgrammeSaid(
            paths=_in_order(numbers), reach=chosen, **{name: form.cleaned_data[name] for name in names}
        )
        programmes.save_programme(
            programme=found, binder=form.cleaned_data["binder"], said=said, by=account_of(request)
        )
        toasts.say(request, f"“{said.title}” is saved, and holds at once.")
        return reverse("courses:programmes")

    if request.method == "POST" and form.is_valid():
        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error(None, str(refusal))
    context = {
        "form": form,
        "programme": found,
        "binders": binders,
        "numbers": numbers,
        "reach": reach,
        "by_name_only": False,
        "here_programmes": True,
        "counts": queries.course_counts(request.user),
        **reach_context(data, request.user),
    }
    return render(request, "courses/programme.html", context, status=422 if form.errors else 200)


def _initial(found: Programme | None) -> dict[str, Any]:
    if found is None:
        return {"who": "all"}
    return {
        "title": found.title,
        "summary": found.summary,
        "binder": found.binder_id,
        "who": "reach" if found.found_by else "all",
        "is_shown": found.is_shown,
    }


def _numbers(request: HttpRequest, found: Programme | None, choices: list[Path]) -> list[tuple[Path, str]]:
    """Each path with the number that it has in the programme, as it was sent or is; those that have one first."""
    if request.method == "POST":
        numbers = {path: request.POST.get(f"place-{path.public_id}", "").strip()[:3] for path in choices}
    else:
        places = {key: place for place, key in enumerate(found.paths if found else [], 1)}
        numbers = {path: str(places.get(path.pk, "")) for path in choices}
    return sorted(numbers.items(), key=lambda one: (not one[1].isdecimal(), int(one[1]) if one[1].isdecimal() else 0))


def _in_order(numbers: list[tuple[Path, str]]) -> list[Path]:
    """The paths that have a number, by it. Raises CourseError."""
    wrong = next((said for _, said in numbers if said and not said.isdecimal()), None)
    if wrong is not None:
        raise CourseError(f"“{wrong}” is no place: number the paths 1, 2, 3.")
    return [path for path, said in numbers if said]


@require_POST
def remove(request: HttpRequest, public_id: str) -> HttpResponse:
    found = get_object_or_404(_shown(request), public_id=public_id)
    programmes.remove_programme(programme=found, by=account_of(request))
    toasts.say(request, f"“{found.title}” is gone. Its paths stay.")
    return redirect("courses:programmes")
