"""The marker's pages: what waits, and one paper after the other."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.library.models import Module
from stepladder.quizzes.actions.marking import mark_paper
from stepladder.quizzes.models import Paper
from stepladder.quizzes.to_mark import agreements, papers_to_mark, to_mark_on
from stepladder.refusals import Refusal
from stepladder.web import toasts
from stepladder.web.tables import page_of

HEADS = [("Who", ""), ("What", ""), ("Course", ""), ("Handed in", "")]
LONGEST_NOTE = 4000


def waiting(request: HttpRequest) -> HttpResponse:
    """What waits for a marker, who waits longest first; how far two agree who mark the same."""
    modules = policy.visible(request.user, "mark", Module.objects.all())
    context = {"page": page_of(request, papers_to_mark(request.user), HEADS), "agreements": agreements(modules)}
    return render(request, "quizzes/marking.html", context)


def paper(request: HttpRequest, public_id: str) -> HttpResponse:
    """An attempt with what is to be judged on it; marked, the next one that waits is shown."""
    modules = policy.visible(request.user, "mark", Module.objects.all())
    related = ("attempt__module__binder", "attempt__enrolment__person", "attempt__enrolment__course", "quiz")
    papers = Paper.objects.select_related(*related).filter(attempt__module__in=modules, handed_in_at__isnull=False)
    found = get_object_or_404(papers, public_id=public_id)
    by, status = account_of(request), 200
    if request.method == "POST":
        try:
            mark_paper(paper=found, by=by, **_given(request, found))
        except Refusal as refusal:
            toasts.trouble(request, str(refusal))
            status = 422
        else:
            toasts.say(request, f"What {found.attempt.enrolment.person.name} answered has your points.")
            following = papers_to_mark(by).exclude(pk=found.pk).first()
            return redirect("quizzes:mark", public_id=following.public_id) if following else redirect("quizzes:marking")
    answers = to_mark_on(found, by)
    waits = papers_to_mark(by)
    context = {
        "paper": found,
        "answers": answers,
        "waiting": waits.count(),
        "is_mine_to_mark": waits.filter(pk=found.pk).exists(),
        "is_own": found.attempt.enrolment.person.account_id == by.pk,
        "is_between": any(one.others for one in answers),
    }
    return render(request, "quizzes/mark.html", context, status=status)


def _given(request: HttpRequest, found: Paper) -> dict[str, Any]:
    """The points and words that were sent; what was left open has none."""
    points, notes = {}, {}
    for place in found.answers.values_list("place", flat=True):
        said = whole_number(request.POST.get(f"points-{place}", ""))
        if said is not None:
            points[place] = said
            notes[place] = request.POST.get(f"note-{place}", "").strip()[:LONGEST_NOTE]
    return {"points": points, "notes": notes, "note": request.POST.get("note", "").strip()[:LONGEST_NOTE]}
