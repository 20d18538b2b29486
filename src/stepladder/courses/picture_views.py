"""The pictures of courses and paths."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses import actions
from stepladder.courses.models import Course, Path
from stepladder.courses.permissions import to_change
from stepladder.library.errors import LibraryError
from stepladder.library.picture_views import given_picture
from stepladder.web import toasts
from stepladder.web.margin import Panel

__all__ = ["course_picture", "path_picture", "picture_panel"]


@require_POST
def course_picture(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another picture of a course, or none of its own; learners see it at once."""
    shown = policy.visible(request.user, "see courses", Course.objects.select_related("binder"))
    return _answer(request, get_object_or_404(shown, public_id=public_id), "courses:course")


@require_POST
def path_picture(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another picture of a path, or none of its own."""
    shown = policy.visible(request.user, "see paths", Path.objects.select_related("binder"))
    return _answer(request, get_object_or_404(shown, public_id=public_id), "courses:path")


def _answer(request: HttpRequest, of: Course | Path, sheet: str) -> HttpResponse:
    by = account_of(request)
    policy.require(by, to_change(of), of)
    try:
        digest = given_picture(request)
        with transaction.atomic():
            actions.set_picture(of=of, digest=digest, by=by)
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect(sheet, public_id=of.public_id)


def picture_panel(request: HttpRequest, of: Course | Path) -> Panel | None:
    """What a course or path is recognised by, for who may change it."""
    if not policy.may(request.user, to_change(of), of):
        return None
    action = reverse("courses:picture" if isinstance(of, Course) else "courses:path_picture", args=[of.public_id])
    context = {"digest": of.picture, "title": of.title, "still": "", "action": action, "may_change": True}
    return Panel("Picture", "library/own_picture.html", context)
