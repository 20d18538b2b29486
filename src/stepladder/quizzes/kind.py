"""Quizzes as a kind of module: planned here, of no file."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.core.quizzes import read_plan
from stepladder.library.kinds import Kind, Made
from stepladder.library.models import Module, ModuleVersion
from stepladder.quizzes import copies
from stepladder.quizzes.models import Quiz
from stepladder.web.margin import Panel

__all__ = ["KIND"]


def describe(data: Mapping[str, Any]) -> str:
    count, minutes = data.get("questions", 0), data.get("minutes")
    said = f"{count} question{'s' if count != 1 else ''}"
    return f"{said} in {minutes} min" if minutes else said


def done_when(data: Mapping[str, Any]) -> str:
    mark = data.get("pass_mark")
    said = "done when it is handed in" if mark is None else f"done at {mark} % right"
    return f"{said}, once it is marked" if data.get("is_marked") else said


def section(request: HttpRequest, module: Module, version: ModuleVersion | None) -> Panel | None:
    """What it asks, and the way to change it."""
    quiz = Quiz.objects.filter(module=module).first()
    if quiz is None or not policy.may(request.user, "change modules", module):
        return None
    context = {"quiz": quiz, "module": module, "plan": read_plan(quiz.plan), "version": version}
    return Panel("Asked here", "quizzes/module_section.html", context)


KIND = Kind(
    "quiz",
    describe,
    done_when,
    made=Made("Something to ask?", "New quiz…", "quizzes:new_quiz"),
    section=section,
    share=copies.share,
)
