"""What telling shows on the sheets of courses, paths and assignments."""

from __future__ import annotations

from django.http import HttpRequest

from stepladder.accounts import policy
from stepladder.assignments.models import Assignment
from stepladder.courses.models import Course, Path
from stepladder.telling.findings import running_rules
from stepladder.telling.words import rule_in_words
from stepladder.web.margin import Panel

__all__ = ["rules_panel"]

KINDS = {Course: "course", Path: "path", Assignment: "assignment"}


def rules_panel(request: HttpRequest, of: Course | Path | Assignment) -> Panel | None:
    """The rules that it has of its own; without any those of what it belongs to speak."""
    if not policy.may(request.user, "keep notice rules"):
        return None
    rules = running_rules().filter(**{KINDS[type(of)]: of})
    rows = [(rule, rule_in_words(rule)) for rule in rules]
    return Panel("What is told", "telling/panel.html", {"rows": rows, "of": of})
