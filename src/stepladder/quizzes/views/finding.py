"""The bank, question or quiz of a request, for whoever may change it."""

from __future__ import annotations

from django.http import HttpRequest
from django.shortcuts import get_object_or_404

from stepladder.accounts import policy
from stepladder.library.models import Binder, Module
from stepladder.quizzes.models import Bank, Question, Quiz

__all__ = ["bank_for", "binders_for", "question_for", "quiz_for"]


def binders_for(request: HttpRequest) -> list[Binder]:
    return list(policy.visible(request.user, "change modules", Binder.objects.order_by("name")))


def bank_for(request: HttpRequest, public_id: str) -> Bank:
    """Raises Http404."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    return get_object_or_404(Bank.objects.select_related("binder").filter(binder__in=mine), public_id=public_id)


def question_for(request: HttpRequest, public_id: str) -> Question:
    """Raises Http404."""
    mine = policy.visible(request.user, "change modules", Binder.objects.all())
    rows = Question.objects.select_related("bank__binder", "newest").filter(bank__binder__in=mine)
    return get_object_or_404(rows, public_id=public_id)


def quiz_for(request: HttpRequest, public_id: str) -> Quiz:
    """The draft of a module. Raises Http404."""
    mine = policy.visible(request.user, "change modules", Module.objects.all())
    quizzes = Quiz.objects.select_related("module__binder").filter(module__in=mine)
    return get_object_or_404(quizzes, module__public_id=public_id)
