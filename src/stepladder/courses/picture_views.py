"""The picture of a course."""

from __future__ import annotations

from django.db import transaction
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses import actions
from stepladder.courses.models import Course
from stepladder.library.errors import LibraryError
from stepladder.library.picture_views import given_picture
from stepladder.web import toasts
from stepladder.web.margin import Panel

__all__ = ["course_picture", "picture_panel"]


@require_POST
def course_picture(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another picture of a course, or none of its own; learners see it at once."""
    shown = policy.visible(request.user, "see courses", Course.objects.select_related("binder"))
    course, by = get_object_or_404(shown, public_id=public_id), account_of(request)
    policy.require(by, "change courses", course)
    try:
        digest = given_picture(request)
        with transaction.atomic():
            actions.set_picture(course=course, digest=digest, by=by)
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("courses:course", public_id=public_id)


def picture_panel(request: HttpRequest, course: Course) -> Panel | None:
    """What a course is recognised by, for who may change it; its head shows it anyway."""
    if not policy.may(request.user, "change courses", course):
        return None
    action = reverse("courses:picture", args=[course.public_id])
    context = {"digest": course.picture, "title": course.title, "still": "", "action": action, "may_change": True}
    return Panel("Picture", "library/own_picture.html", context)
