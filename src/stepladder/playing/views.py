"""The player: a course as its learner goes through it, step by step."""

from __future__ import annotations

import math
from typing import Any

from django.core import signing
from django.core.exceptions import PermissionDenied
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.courses.queries import terms_in_words
from stepladder.courses.references import references_of
from stepladder.learning import actions as learning
from stepladder.learning.errors import LearningError
from stepladder.learning.models import Attempt, Completion, Enrolment
from stepladder.learning.queries import CourseView, StepState, course_view
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing import media
from stepladder.playing.actions import TooSoon
from stepladder.playing.players import NothingReported, player_of, render_stage
from stepladder.playing.reading import Unreadable
from stepladder.playing.said import said_of
from stepladder.refusals import Refusal
from stepladder.web import margin, toasts
from stepladder.web.onwards import asked_address
from stepladder.web.templatetags.web import clock_time


def _enrolment(request: HttpRequest, public_id: str) -> Enrolment:
    shown = policy.visible(
        request.user, "learn", Enrolment.objects.select_related("person__account", "course", "edition")
    )
    return get_object_or_404(shown, public_id=public_id)


# How far one is changes while one learns: the browser's way back asks anew instead of showing what was there first.
@never_cache
def course(request: HttpRequest, public_id: str) -> HttpResponse:
    """The course with its steps: what is done, what is open, what comes next."""
    view = course_view(_enrolment(request, public_id))
    of = view.enrolment.course
    context = {
        "view": view,
        "terms": terms_in_words(of),
        "prerequisites": list(of.prerequisites.order_by("title").values_list("title", flat=True)),
        "opens_on": learning.opens_later(view.enrolment.person, of),
        "references": list(references_of(of)),
        "panels": margin.panels("course of a learner", request, view.enrolment),
        **_completion(request, view),
    }
    return render(request, "playing/course.html", context)


def _completion(request: HttpRequest, view: CourseView) -> dict[str, Any]:
    found = Completion.objects.known_now().filter(enrolment=view.enrolment).first()
    return {"completion": found, "certificate": margin.verb_links("completion", request, found) if found else []}


def reference(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """What is kept beside a course, looked at: before, during and after it. Nothing of it is counted."""
    enrolment = _enrolment(request, public_id)
    shown = references_of(enrolment.course).filter(module__public_id=module)
    found = get_object_or_404(shown).module
    version = found.versions.select_related("module", "original").order_by("-number").first()
    if version is None:
        raise Http404
    context = {
        "view": course_view(enrolment),
        "module": found,
        "version": version,
        "is_trial": True,
        "is_reference": True,
        "lines": [],
        "at": _asked_place(request, 0),
        "kept": media.kept_file(version, account_of(request).pk),
    }
    stage = player_of(found.kind).stage(request, version, None, None)
    return render_stage(request, "playing/reference.html", context, stage)


@never_cache
def step(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """One step, played in the page."""
    enrolment = _enrolment(request, public_id)
    view = course_view(enrolment)
    current = next((s for s in view.steps if s.step.module.public_id == module), None)
    if current is None:
        raise Http404
    player, by = player_of(current.step.module.kind), account_of(request)
    before, after = _beside(view, current)
    context = {"view": view, "here": current, "module": current.step.module, "is_trial": False}
    if not player.begins_attempt:
        version = current.step.version
        context |= {"version": version, "before": before, "after": after, **_completion(request, view)}
        return render_stage(request, "playing/unplayed.html", context, player.stage(request, version, enrolment, None))
    try:
        attempt = learning.begin_step(enrolment=enrolment, step=current.step, by=by)
        player.open(attempt, by)
    except LearningError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("playing:course", public_id=public_id)
    context |= {
        "attempt": attempt,
        "version": attempt.version,
        "share": player.share(attempt),
        "kept": media.kept_file(attempt.version, by.pk),
        "at": _asked_place(request, attempt.data.get("at", 0)),
        "before": before,
        "after": after,
        "references": list(references_of(enrolment.course)),
        **_completion(request, view),
        **said_of(request.user, attempt.version, public_id),
    }
    return render_stage(
        request, "playing/step.html", context, player.stage(request, attempt.version, enrolment, attempt)
    )


def _beside(view: CourseView, current: StepState) -> tuple[StepState | None, StepState | None]:
    """The steps right before and after one, where they can be looked at: none is skipped, for what comes next may be closed yet."""
    at = view.steps.index(current)
    beside = (view.steps[at - 1] if at else None, view.steps[at + 1] if at + 1 < len(view.steps) else None)
    before, after = (step if step is not None and step.may_look else None for step in beside)
    return before, after


def _asked_place(request: HttpRequest, stopped: float) -> float:
    """Where to begin: at the place that is asked for, as by a note or a hit of the search; else where one stopped."""
    try:
        place = float(request.GET.get("at", "")[:20])
    except ValueError:
        place = math.nan
    return place if math.isfinite(place) and place >= 0 else stopped


def try_module(request: HttpRequest, public_id: str) -> HttpResponse:
    """A module played for somebody who wants to see it; nothing of it is kept. `v` is the version, the newest if unsaid."""
    shown = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    module = get_object_or_404(shown, public_id=public_id)
    if not policy.may(request.user, "use modules", module):
        # Whoever sees it and does not use it reads on its sheet who says so, as after a hit of the search.
        return redirect("library:module", public_id=public_id)
    versions = module.versions.select_related("module", "original")
    asked = request.GET.get("v", "")
    number = whole_number(asked)
    version = versions.first() if number is None else get_object_or_404(versions, number=number)
    if version is None:
        raise Http404
    back = asked_address(request, request.GET.get("back", "")) or reverse("library:module", args=[public_id])
    context = {"back": back, "module": module, "version": version, "is_trial": True, "lines": []}
    context["at"] = _asked_place(request, 0)
    stage = player_of(module.kind).stage(request, version, None, None)
    return render_stage(request, "playing/trial.html", context, stage)


def _attempt(request: HttpRequest, public_id: str) -> Attempt:
    shown = policy.visible(
        request.user, "learn", Attempt.objects.select_related("enrolment__person__account", "version", "module")
    )
    return get_object_or_404(shown, public_id=public_id)


@require_POST
def report(request: HttpRequest, attempt: str) -> HttpResponse:
    """What a player's page reports; the player reads it."""
    found = _attempt(request, attempt)
    player = player_of(found.module.kind)
    try:
        counted = player.report(found, request.body, account_of(request))
    except Unreadable as refusal:
        return JsonResponse({"says": f"This report cannot be read: {refusal}."}, status=400)
    except NothingReported as refusal:
        return JsonResponse({"says": str(refusal)}, status=400)
    except TooSoon as refusal:
        # It is true, perhaps, and told again when time has passed.
        return JsonResponse({"says": str(refusal), "again": True}, status=409)
    except Refusal as refusal:
        return JsonResponse({"says": str(refusal)}, status=409)
    done = counted.status == "completed"
    said = {"share": player.share(counted), "done": done, "kept": clock_time(counted.last_at), **player.said(counted)}
    return JsonResponse(said)


def outcome(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """The steps and how far one is, asked for when a player says that something changed."""
    view = course_view(_enrolment(request, public_id))
    current = next((s for s in view.steps if s.step.module.public_id == module), None)
    context = {"view": view, "here": current, **_completion(request, view)}
    if current and current.attempt:
        context |= player_of(current.step.module.kind).news(request, current.attempt)
    return render(request, "playing/news.html", context)


@require_POST
def try_again(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """Begin the parts of a package anew that were failed."""
    enrolment = _enrolment(request, public_id)
    mine = Attempt.objects.select_related(
        "version", "module", "enrolment__person", "enrolment__course", "enrolment__edition"
    )
    attempt = mine.filter(enrolment=enrolment, module__public_id=module).order_by("-number").first()
    if attempt is None:
        raise Http404
    try:
        if player_of(attempt.module.kind).try_again(attempt, account_of(request)):
            toasts.say(request, "It begins anew. The time you spent is kept.")
    except LearningError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("playing:step", public_id=public_id, module=module)


def show_media(request: HttpRequest, token: str) -> HttpResponseBase:
    """Film, sound, PDF bytes, captions or a still: for the account that the address was made for."""
    try:
        said = media.read_media_token(token)
    except signing.BadSignature:
        raise PermissionDenied("This address is no longer good. Open the step again.") from None
    if said["a"] != account_of(request).pk:
        raise PermissionDenied("This address was made for somebody else.")
    version = get_object_or_404(ModuleVersion.objects.select_related("original", "module"), pk=said["v"])
    return media.show(request, version, str(said["w"]))
