"""The lesson of a request, for whoever may change it."""

from __future__ import annotations

from django.http import Http404, HttpRequest
from django.shortcuts import get_object_or_404

from stepladder.accounts import policy
from stepladder.library.models import Module
from stepladder.writing.models import Lesson, Section

__all__ = ["lesson_for", "section_for"]


def lesson_for(request: HttpRequest, public_id: str) -> Lesson:
    """The draft of a module. Raises Http404 where there is none that the account may change."""
    shown = policy.visible(request.user, "change modules", Module.objects.select_related("binder"))
    module = get_object_or_404(shown, public_id=public_id)
    lesson = Lesson.objects.filter(module=module).first()
    if lesson is None:
        raise Http404
    lesson.module = module
    return lesson


def section_for(request: HttpRequest, public_id: str) -> Section:
    """A section of a draft that the account may change. Raises Http404."""
    shown = policy.visible(request.user, "change modules", Module.objects.all())
    sections = Section.objects.select_related("lesson__module__binder", "taken_by")
    return get_object_or_404(sections.filter(lesson__module__in=shown), public_id=public_id)
