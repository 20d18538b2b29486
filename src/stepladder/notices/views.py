"""The words in which notices are told, and notices that could not be sent."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django import forms
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts.signed_in import account_of
from stepladder.notices import actions, queries
from stepladder.notices.kinds import EVERY_FIELD, NoticeKind, UnknownField, check_fields, notice_kinds
from stepladder.notices.models import Sample, Wording
from stepladder.notices.wordings import in_full, worded
from stepladder.people.models import Person
from stepladder.web import toasts
from stepladder.web.forms import CommonForm
from stepladder.web.once import act_once
from stepladder.web.tables import page_of


class WordingForm(CommonForm, forms.Form):
    """Words for a kind of notice, with its fields in braces."""

    subject = forms.CharField(label="Subject", max_length=200)
    text = forms.CharField(label="Message", max_length=5_000, widget=forms.Textarea(attrs={"rows": 10}), strip=False)

    def __init__(self, *args: Any, kind: NoticeKind, **kwargs: Any) -> None:
        self.kind = kind
        super().__init__(*args, **kwargs)

    def _known(self, name: str) -> str:
        words: str = self.cleaned_data[name]
        try:
            check_fields(self.kind, words)
        except UnknownField as error:
            raise forms.ValidationError(str(error)) from error
        return words

    def clean_subject(self) -> str:
        return self._known("subject")

    def clean_text(self) -> str:
        return self._known("text")


def wordings(request: HttpRequest) -> HttpResponse:
    """Every kind of notice, and whether it is told in the organisation's own words."""
    own = set(Wording.objects.values_list("kind", flat=True))
    rows = [(kind, worded(kind.name), kind.name in own) for kind in notice_kinds()]
    return render(request, "notices/wordings.html", {"rows": rows})


def _kind(name: str) -> NoticeKind:
    found = next((kind for kind in notice_kinds() if kind.name == name), None)
    if found is None:
        raise Http404
    return found


def wording(request: HttpRequest, kind: str) -> HttpResponse:
    """The words of a kind, to be changed, with its fields and how it reads."""
    own, said = _kind(kind), worded(kind)
    form = WordingForm(request.POST or None, kind=own, initial={"subject": said.subject, "text": said.text})
    if request.method == "POST" and "standard" in request.POST:
        actions.set_wording(kind=kind, subject="", text="", by=account_of(request))
        toasts.say(request, f"“{own.label}” is told in the words it comes with.")
        return redirect("notices:wordings")
    if request.method == "POST" and form.is_valid():
        actions.set_wording(kind=kind, by=account_of(request), **form.cleaned_data)
        toasts.say(request, f"“{own.label}” is told in these words from now on.")
        return redirect("notices:wordings")
    context = {
        "kind": own,
        "form": form,
        "fields": {**EVERY_FIELD, **own.fields}.items(),
        "readers": _readers(own),
        "is_own": Wording.objects.filter(kind=kind).exists(),
        **_read(own, form["subject"].value() or "", form["text"].value() or ""),
    }
    return render(request, "notices/wording.html", context, status=422 if form.errors else 200)


def preview(request: HttpRequest, kind: str) -> HttpResponse:
    """How words would read, to somebody who was told of the kind before."""
    own = _kind(kind)
    form = WordingForm(request.GET, kind=own)
    if not form.is_valid():
        return render(request, "notices/read.html", {"trouble": next(iter(form.errors.values()))[0]})
    return render(
        request,
        "notices/read.html",
        _read(own, form.cleaned_data["subject"], form.cleaned_data["text"], request.GET.get("to", "")),
    )


def _read(kind: NoticeKind, subject: str, text: str, to: str = "") -> dict[str, Any]:
    """How words read with what stood in the last notice of the kind, to somebody (a public id) or to who was told last; with what each
    field means where there was none."""
    samples = list(Sample.objects.filter(kind=kind.name).select_related("person"))
    sample = next((one for one in samples if one.person.public_id == to), samples[0] if samples else None)
    fields = {name: f"‹{means}›" for name, means in kind.fields.items()}
    # A field that the kind has come to have since then still stands for itself.
    fields |= {name: value for name, value in (sample.fields if sample else {}).items() if name in kind.fields}
    person = sample.person if sample else Person(given_name="‹how the person is called›")
    try:
        said = in_full(replace(kind, subject=subject, text=text), fields, person)
    except KeyError as missing:
        return {"trouble": f"{{{missing.args[0]}}} is no field of this."}
    return {"subject": said[0], "text": said[1], "read_by": sample.person if sample else None}


def _readers(kind: NoticeKind) -> list[Person]:
    """Whom one can choose to read as: who was told of the kind, the last first."""
    return [one.person for one in Sample.objects.filter(kind=kind.name).select_related("person")]


HEADS = [("To", ""), ("What", ""), ("Made", ""), ("What the mail server said", "")]


def unsent(request: HttpRequest) -> HttpResponse:
    return render(request, "notices/unsent.html", {"page": page_of(request, queries.unsent(), HEADS)})


@require_POST
def send_again(request: HttpRequest) -> HttpResponse:
    """Hand the chosen notices to the queue once more."""

    def act() -> str:
        count = actions.send_again(public_ids=request.POST.getlist("row"), by=account_of(request))
        toasts.say(request, f"{count} notice{'s' if count != 1 else ''} on the way again.")
        return reverse("notices:unsent")

    return act_once(request, act)
