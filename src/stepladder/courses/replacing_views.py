"""Replacing a module by another in every course."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Edition, Step
from stepladder.courses.replacing import effect_of_replacing, replace_module
from stepladder.library.finding import Filters, first_rows
from stepladder.library.models import Module
from stepladder.web import toasts
from stepladder.web.margin import VerbLink
from stepladder.web.once import act_once

__all__ = ["replace", "replace_verb"]

SHOWN = 30


def replace_verb(request: HttpRequest, module: Module) -> VerbLink | None:
    """Put another in its stead, where a course uses it that one may change."""
    mine = policy.visible(request.user, "change courses", Course.objects.all())
    used = Step.objects.filter(module=module, edition__course__in=mine)
    if not used.exclude(edition__state=Edition.State.SUPERSEDED).exists():
        return None
    return VerbLink("Replace it everywhere…", reverse("courses:replace", args=[module.public_id]))


def replace(request: HttpRequest, public_id: str) -> HttpResponse:
    """Choose the other module, see what that would do in each course, and do it."""
    seen: Any = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    module = get_object_or_404(seen, public_id=public_id)
    asked = request.POST.get("by") or request.GET.get("by", "")
    usable = policy.visible(request.user, "use modules", seen)
    other = usable.filter(public_id=asked).exclude(pk=module.pk).first()
    trouble = ""
    if request.method == "POST" and other is not None:

        def act() -> str:
            done = replace_module(module=module, by_other=other, by=account_of(request))
            count = sum(not one.refused for one in done)
            passed = " ".join(f"“{one.course.title}”: {one.refused}" for one in done if one.refused)
            toasts.say(request, f"{count} course{'s have' if count != 1 else ' has'} “{other.title}” instead. {passed}")
            return reverse("library:module", args=[other.public_id])

        try:
            return act_once(request, act)
        except CourseError as refusal:
            trouble = str(refusal)
    elif request.method == "POST":
        toasts.trouble(request, "Choose the module that takes its place first.")
        return redirect("courses:replace", public_id=public_id)
    text = request.GET.get("q", "").strip()
    rows = first_rows(request.user, Filters(text=text, kind="" if text else module.kind), limit=SHOWN)
    context = {
        "module": module,
        "other": other,
        "text": text,
        "rows": [row for row in rows if row.module.pk != module.pk],
        "effects": effect_of_replacing(module, other, account=account_of(request)) if other else [],
        "trouble": trouble,
    }
    return render(request, "courses/replace.html", context, status=422 if trouble else 200)
