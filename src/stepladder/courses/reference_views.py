"""What is kept beside a course."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses import references
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course
from stepladder.library.finding import Filters, first_rows
from stepladder.library.models import Module
from stepladder.web import toasts
from stepladder.web.margin import Panel

__all__ = ["change_references", "course_references", "reference_panel"]

SHOWN = 30


def _course(request: HttpRequest, public_id: str) -> Course:
    shown = policy.visible(request.user, "change courses", Course.objects.select_related("binder"))
    return get_object_or_404(shown, public_id=public_id)


def course_references(request: HttpRequest, public_id: str) -> HttpResponse:
    """What is beside a course, and what else could be."""
    course, text = _course(request, public_id), request.GET.get("q", "").strip()
    beside = list(references.references_of(course))
    taken = {one.module_id for one in beside}
    rows = first_rows(request.user, Filters(text=text, kind="" if text else "document"), limit=SHOWN)
    context: dict[str, Any] = {
        "course": course,
        "beside": beside,
        "text": text,
        "rows": [row for row in rows if row.module.pk not in taken],
    }
    return render(request, "courses/references.html", context)


@require_POST
def change_references(request: HttpRequest, public_id: str) -> HttpResponse:
    """Put the module that `add` names beside the course, or take away the one that `drop` names."""
    course, by = _course(request, public_id), account_of(request)
    seen = policy.visible(request.user, "use modules", Module.objects.select_related("binder"))
    try:
        if added := seen.filter(public_id=request.POST.get("add", "")).first():
            references.add_reference(course=course, module=added, by=by)
        if dropped := Module.objects.filter(public_id=request.POST.get("drop", "")).first():
            references.drop_reference(course=course, module=dropped, by=by)
    except CourseError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("courses:references", public_id=public_id)


def reference_panel(request: HttpRequest, course: Course) -> Panel | None:
    """What is beside a course, on its sheet."""
    beside, may_change = list(references.references_of(course)), policy.may(request.user, "change courses", course)
    if not beside and not may_change:
        return None
    return Panel(
        "Beside it", "courses/reference_panel.html", {"beside": beside, "course": course, "may_change": may_change}
    )
