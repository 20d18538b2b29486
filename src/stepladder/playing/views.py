"""The player: a course as its learner goes through it, step by step."""

from __future__ import annotations

from typing import Any

from django.core import signing
from django.core.exceptions import PermissionDenied
from django.http import FileResponse, Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.accounts.signed_in import account_of
from stepladder.core.numbers import whole_number
from stepladder.learning import actions as learning
from stepladder.learning.errors import LearningError
from stepladder.learning.models import Attempt, Completion, Enrolment
from stepladder.learning.queries import CourseView, course_view
from stepladder.library import storage
from stepladder.library.kinds import kind_named
from stepladder.library.models import Module, ModuleVersion
from stepladder.playing import actions, media, runtime
from stepladder.playing.reading import Report, Unreadable, read_report
from stepladder.playing.stage import parts_context, render_stage, stage, unplayed
from stepladder.web import margin, toasts
from stepladder.web.onwards import asked_address


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
    return render(request, "playing/course.html", {"view": view, **_completion(request, view)})


def _completion(request: HttpRequest, view: CourseView) -> dict[str, Any]:
    found = Completion.objects.known_now().filter(enrolment=view.enrolment).first()
    return {"completion": found, "certificate": margin.verb_links("completion", request, found) if found else []}


@never_cache
def step(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """One step, played in the page."""
    enrolment = _enrolment(request, public_id)
    view = course_view(enrolment)
    here = next((s for s in view.steps if s.step.module.public_id == module), None)
    if here is None:
        raise Http404
    if not kind_named(here.step.module.kind).is_played:
        context = {"view": view, "here": here, **_completion(request, view)}
        return render(request, "playing/unplayed.html", context | unplayed(request, here.step.version, enrolment))
    try:
        attempt = learning.begin_step(enrolment=enrolment, step=here.step, by=account_of(request))
        actions.open_player(attempt=attempt, by=account_of(request))
    except LearningError as refusal:
        toasts.trouble(request, str(refusal))
        return redirect("playing:course", public_id=public_id)
    context = {
        "view": view,
        "here": here,
        "attempt": attempt,
        "share": actions.share_of(attempt),
        "at": attempt.data.get("at", 0),
        **_completion(request, view),
        **stage(request, attempt.version, attempt),
    }
    return render_stage(request, "playing/step.html", context)


def try_module(request: HttpRequest, public_id: str) -> HttpResponse:
    """A module played for somebody who wants to see it; nothing of it is kept. `v` is the version, the newest if unsaid."""
    shown = policy.visible(request.user, "see modules", Module.objects.all())
    module = get_object_or_404(shown, public_id=public_id)
    versions = module.versions.select_related("module", "original")
    asked = request.GET.get("v", "")
    number = whole_number(asked)
    version = versions.first() if number is None else get_object_or_404(versions, number=number)
    if version is None:
        raise Http404
    back = asked_address(request, request.GET.get("back", "")) or reverse("library:module", args=[public_id])
    if not kind_named(module.kind).is_played:
        return render(request, "playing/trial.html", {"back": back, **unplayed(request, version, None)})
    return render_stage(request, "playing/trial.html", {"back": back, **stage(request, version, None)})


def _attempt(request: HttpRequest, public_id: str) -> Attempt:
    shown = policy.visible(
        request.user, "learn", Attempt.objects.select_related("enrolment__person__account", "version")
    )
    return get_object_or_404(shown, public_id=public_id)


@require_POST
def report(request: HttpRequest, attempt: str) -> HttpResponse:
    """What a player reports: {"played": [[from, to] …]} or {"pages": [[page, seconds] …]}, with "at" and "seconds"."""
    found = _attempt(request, attempt)
    by = account_of(request)
    try:
        sent = read_report(request.body)
    except Unreadable as refusal:
        return JsonResponse({"says": f"This report cannot be read: {refusal}."}, status=400)
    try:
        counted = _count(found, sent, by)
    except (actions.TooSoon, LearningError) as refusal:
        return JsonResponse({"says": str(refusal)}, status=409)
    if counted is None:
        return JsonResponse({"says": "Nothing is reported of a step of this kind."}, status=400)
    return JsonResponse({"share": actions.share_of(counted), "done": counted.status == "completed"})


def _count(found: Attempt, sent: Report, by: Account) -> Attempt | None:
    """Count a report by the kind of what is played; None where nothing of it is reported."""
    if "seconds" in found.version.data:
        return actions.report_played(attempt=found, played=sent.pairs, at=sent.at, seconds=sent.seconds, by=by)
    if "pages" in found.version.data:
        shown = [(int(page), length) for page, length in sent.pairs]
        return actions.report_pages(attempt=found, shown=shown, at=int(sent.at), seconds=sent.seconds, by=by)
    return None


def outcome(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """The steps and how far one is, asked for when a player says that something changed."""
    view = course_view(_enrolment(request, public_id))
    here = next((s for s in view.steps if s.step.module.public_id == module), None)
    context = {"view": view, "here": here, **_completion(request, view)}
    attempt = here.attempt if here else None
    if here and attempt and here.step.module.kind == "package":
        attempt = Attempt.objects.select_related("version").get(pk=attempt.pk)
        context |= parts_context(request, attempt.version, attempt)
    return render(request, "playing/news.html", context)


@require_POST
def try_again(request: HttpRequest, public_id: str, module: str) -> HttpResponse:
    """Begin the parts of a package anew that were failed."""
    enrolment = _enrolment(request, public_id)
    mine = Attempt.objects.select_related(
        "version", "module", "enrolment__person", "enrolment__course", "enrolment__edition"
    )
    attempt = get_object_or_404(mine, enrolment=enrolment, module__public_id=module)
    try:
        if "scos" in attempt.version.data and runtime.try_again(attempt=attempt, by=account_of(request)):
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
    version = get_object_or_404(ModuleVersion.objects.select_related("original"), pk=said["v"])
    if said["w"] != "original":
        name, kind = {"captions": ("captions.vtt", "text/vtt"), "still": ("still.jpg", "image/jpeg")}[str(said["w"])]
        path = storage.derived_folder(version) / name
        return FileResponse(path.open("rb"), content_type=kind)
    assert version.original is not None
    return media.ranged(
        request, storage.file_of(version.original), version.original.content_type, version.original.sha256[:32]
    )
