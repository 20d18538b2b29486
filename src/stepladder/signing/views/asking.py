"""What a learner does with a task: ask for a sign-off, or not any more."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.learning.models import Attempt
from stepladder.people.models import Person
from stepladder.refusals import Refusal
from stepladder.signing.actions.asking import ask_for_sign_off, ask_no_more
from stepladder.signing.forms import AskForm
from stepladder.web import toasts

RELATED = ("enrolment__person__account", "enrolment__course", "enrolment__edition", "version", "module")


@require_POST
def ask(request: HttpRequest, attempt: str) -> HttpResponse:
    """Ask for it, of somebody or of whoever may; `do=no more` takes it back."""
    mine = policy.visible(request.user, "learn", Attempt.objects.select_related(*RELATED))
    found, by = get_object_or_404(mine, public_id=attempt, module__kind="task"), account_of(request)
    form = AskForm(request.POST)
    try:
        if request.POST.get("do") == "no more":
            ask_no_more(attempt=found, by=by)
        elif not form.is_valid():
            toasts.trouble(request, f"Nothing was asked: {next(iter(form.errors.values()))[0]}")
        else:
            of = Person.objects.filter(public_id=form.cleaned_data["of"]).first() if form.cleaned_data["of"] else None
            asked = ask_for_sign_off(attempt=found, of=of, words=form.cleaned_data["words"], by=by)
            toasts.say(request, f"Asked. {asked.of.name if asked.of else 'Whoever may sign it off'} is told.")
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("playing:step", public_id=found.enrolment.public_id, module=found.module.public_id)
