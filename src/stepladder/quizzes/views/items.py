"""What the answers tell of a quiz's questions, and a wrong key corrected."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render

from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.core.questions import read_question, right_in_words
from stepladder.journal import undoing
from stepladder.library.queries import binders
from stepladder.quizzes import told
from stepladder.quizzes.actions.correcting import correct_key, effect_of
from stepladder.quizzes.models import Quiz, Wording
from stepladder.quizzes.views.finding import quiz_for
from stepladder.refusals import Refusal
from stepladder.web import toasts


def items(request: HttpRequest, public_id: str) -> HttpResponse:
    """The questions of a quiz with their figures, the most striking first; `v` is the version, all if unsaid."""
    quiz = quiz_for(request, public_id)
    versions = list(quiz.module.versions.order_by("-number"))
    asked = whole_number(request.GET.get("v", ""))
    version = next((one for one in versions if one.number == asked), None)
    context = {
        "module": quiz.module,
        "versions": versions,
        "version": version,
        "told": told.told_of(quiz.module, version),
        "binders": binders(request.user),
        "here": "library",
    }
    return render(request, "quizzes/items.html", context)


def _wording(quiz: Quiz, public_id: str) -> Wording:
    rows = Wording.objects.select_related("question__bank__binder", "question__newest", "key_from")
    return get_object_or_404(rows.filter(answers__paper__attempt__module=quiz.module).distinct(), public_id=public_id)


def correct(request: HttpRequest, public_id: str, wording: str) -> HttpResponse:
    """What it comes to to judge a question by what it says now; `POST` does it."""
    quiz = quiz_for(request, public_id)
    found = _wording(quiz, wording)
    newest = found.question.newest
    assert newest is not None
    refusal, effect = "", None
    try:
        if request.method == "POST":
            with undoing.watched() as watched:
                effect = correct_key(wording=found, key_from=newest, by=account_of(request))
            said = f"{len(effect.changed)} papers are judged anew; {len(effect.passes)} pass by it."
            toasts.say(request, said, act=watched.act)
            return redirect("quizzes:items", public_id=public_id)
        effect = effect_of(found, newest)
    except Refusal as told_why:
        refusal = str(told_why)
    context = {
        "module": quiz.module,
        "wording": found,
        "newest": newest,
        "was_right": right_in_words(read_question(found.holding)),
        "now_right": right_in_words(read_question(newest.data)),
        "effect": effect,
        "refusal": refusal,
        "binders": binders(request.user),
        "here": "library",
    }
    return render(request, "quizzes/correct.html", context, status=409 if refusal and request.method == "POST" else 200)
