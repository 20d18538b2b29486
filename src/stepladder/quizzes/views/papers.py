"""What a learner does with a quiz beside answering: begin it, hand it in, give files."""

from __future__ import annotations

from django.http import FileResponse, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.learning.models import Attempt
from stepladder.library.models import Module
from stepladder.library.showing import given_file
from stepladder.quizzes.actions import files as answer_files
from stepladder.quizzes.actions.papers import begin_paper, hand_in_paper
from stepladder.quizzes.models import AnswerFile, Paper
from stepladder.refusals import Refusal
from stepladder.web import toasts

RELATED = ("enrolment__person__account", "enrolment__course", "version", "module")


def _attempt(request: HttpRequest, public_id: str) -> Attempt:
    shown = policy.visible(request.user, "learn", Attempt.objects.select_related(*RELATED))
    return get_object_or_404(shown, public_id=public_id, module__kind="quiz")


def _paper(request: HttpRequest, attempt: str) -> Paper:
    found = _attempt(request, attempt)
    paper = get_object_or_404(Paper.objects.select_related("quiz"), attempt=found)
    paper.attempt = found
    return paper


def _back(attempt: Attempt, question: int = 0) -> HttpResponse:
    address = redirect("playing:step", public_id=attempt.enrolment.public_id, module=attempt.module.public_id)
    if question:
        address["Location"] += f"?question={question}#question-{question}"
    return address


@require_POST
def begin(request: HttpRequest, attempt: str) -> HttpResponse:
    """The time runs from here."""
    found = _attempt(request, attempt)
    try:
        begin_paper(attempt=found, by=account_of(request))
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return _back(found)


@require_POST
def hand_in(request: HttpRequest, attempt: str) -> HttpResponse:
    """It is over; sent twice, or from another tab, it is as once."""
    paper = _paper(request, attempt)
    try:
        hand_in_paper(paper=paper, by=account_of(request))
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return _back(paper.attempt)


@require_POST
def files(request: HttpRequest, attempt: str, number: int) -> HttpResponse:
    """A file given as an answer, or one that is taken out again (`drop`)."""
    paper, by = _paper(request, attempt), account_of(request)
    sent, dropped = request.FILES.get("file"), request.POST.get("drop", "")
    try:
        if dropped:
            mine = AnswerFile.objects.select_related("answer__paper__attempt__enrolment__person")
            answer_files.drop_file(file=get_object_or_404(mine, answer__paper=paper, public_id=dropped), by=by)
        elif sent is not None:
            answer_files.give_file(
                paper=paper, place=number, sent=sent.file or sent, name=sent.name or "file", size=sent.size or 0, by=by
            )
        else:
            toasts.trouble(request, "Choose a file first.")
    except Refusal as refusal:
        toasts.trouble(request, str(refusal))
    return _back(paper.attempt, number)


def show_file(request: HttpRequest, public_id: str) -> FileResponse:
    """A file that was given as an answer: for whoever gave it, and for whoever may mark it. It runs nothing in this origin."""
    mine = policy.visible(request.user, "learn", Attempt.objects.all())
    marked = policy.visible(request.user, "mark", Module.objects.all())
    files = AnswerFile.objects.select_related("stored")
    mine_or_marked = files.filter(answer__paper__attempt__in=mine) | files.filter(
        answer__paper__attempt__module__in=marked, answer__paper__handed_in_at__isnull=False
    )
    found = get_object_or_404(mine_or_marked.distinct(), public_id=public_id)
    return given_file(found.stored, found.name, to_keep="keep" in request.GET)
