"""More time and attempts for somebody."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.library.models import OUT_OF_USE, Module
from stepladder.people.models import Person
from stepladder.quizzes.actions.allowing import allow as allow_more
from stepladder.quizzes.actions.allowing import end_allowed
from stepladder.quizzes.forms import AllowForm
from stepladder.quizzes.models import Allowed
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.once import act_once


def allow(request: HttpRequest, public_id: str) -> HttpResponse:
    """What somebody is allowed beyond what all are; `end` takes one of them away."""
    people = policy.visible(request.user, "change people", Person.objects.all())
    person, by = get_object_or_404(people, public_id=public_id), account_of(request)
    rows = Allowed.objects.filter(person=person, ended_at=None).select_related("module", "person")
    if ended := request.POST.get("end", ""):
        end_allowed(allowed=get_object_or_404(rows, pk=whole_number(ended) or 0), by=by)
        toasts.say(request, "From the next attempt on it is as for all.")
        return redirect("quizzes:allow", public_id=public_id)
    quizzes = {one.public_id: one for one in Module.objects.filter(kind="quiz").exclude(state__in=OUT_OF_USE)}
    form = AllowForm(request.POST or None, quizzes=[(key, one.title) for key, one in quizzes.items()])
    if form.is_bound and form.is_valid():
        said = dict(form.cleaned_data)
        module = quizzes.get(said.pop("quiz"))

        def act() -> str:
            allow_more(person=person, module=module, by=by, **{n: said[n] or 0 for n in ("extra_time", "extra_attempts")},
                       because=said["because"])  # fmt: skip
            toasts.say(request, f"It holds for what {person.given_name} begins from now on.")
            return reverse("people:person", args=[public_id])

        try:
            return act_once(request, act)
        except Refusal as refusal:
            form.add_error("extra_time", str(refusal))
    context = {"person": person, "form": form, "rows": list(rows), "here": "people"}
    return render(request, "quizzes/allow.html", context, status=422 if form.errors else 200)
