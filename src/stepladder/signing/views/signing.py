"""The signer's pages: who waits, the check list of one of them, and what was signed."""

from __future__ import annotations

import uuid
from pathlib import Path
from typing import Any

from django.contrib.staticfiles import finders
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.cache import never_cache
from django.views.decorators.http import require_POST

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.core.days import day_of
from stepladder.core.sign_offs import in_words, read_check_list
from stepladder.courses.models import Step
from stepladder.journal import undoing
from stepladder.learning.actions import check_open, check_place
from stepladder.learning.errors import LearningError
from stepladder.learning.models import Attempt, Enrolment
from stepladder.library import own_pictures
from stepladder.library.errors import Unusable
from stepladder.refusals import Refusal
from stepladder.signing.actions.sign_offs import Given, check_list_of, sign_off
from stepladder.signing.drawing import signature_path
from stepladder.signing.errors import BadSignOff
from stepladder.signing.forms import SignOffForm
from stepladder.signing.models import Asked, SignOff
from stepladder.signing.queries import asked_count, lines_of, sign_offs_seen, standing_of, waiting_rows
from stepladder.signing.signers import may_sign
from stepladder.web import toasts
from stepladder.web.tables import page_of

HEADS = [("Who", ""), ("What", ""), ("Course", ""), ("Asked", "")]
SHOWS = ("asked", "all")


@never_cache
def waiting(request: HttpRequest) -> HttpResponse:
    """Who asks for a sign-off, longest first; or everybody whose task one may sign off."""
    show = request.GET.get("show", "")
    text = request.GET.get("q", "")[:100].strip()
    asked = asked_count(request.user)
    if show not in SHOWS:
        show = "asked" if asked and not text else "all"
    context = {
        "page": page_of(request, waiting_rows(request.user, show=show, text=text), HEADS),
        "asked": asked,
        "show": show,
        "q": text,
    }
    return render(request, "signing/waiting.html", context)


def _place(request: HttpRequest, enrolment: str, module: str) -> tuple[Enrolment, Step]:
    """A place and its step, for whoever may sign it off. Raises Http404."""
    shown = policy.visible(request.user, "sign off", Enrolment.objects.select_related("person", "course", "edition"))
    found = get_object_or_404(shown, public_id=enrolment)
    steps = Step.objects.filter(edition=found.edition_id, module__public_id=module, module__kind="task")
    step = get_object_or_404(steps.select_related("module", "version"))
    if not may_sign(account_of(request), found.person, step.module_id):
        raise Http404
    return found, step


@never_cache
def sign(request: HttpRequest, enrolment: str, module: str) -> HttpResponse:
    """The check list of somebody, to be signed; without scripts, too."""
    place, step = _place(request, enrolment, module)
    faults: dict[str, str] = {}
    if request.method == "POST":
        try:
            with undoing.watched() as watched:
                made = _sign(request, place, step)
        except BadSignOff as refusal:
            faults = refusal.faults
        except (Refusal, Unusable) as refusal:
            faults = {"": str(refusal)}
        else:
            toasts.say(request, _said(made), act=watched.act)
            return redirect("signing:waiting")
    attempt = Attempt.objects.filter(enrolment=place, module=step.module).select_related("version").last()
    if attempt is not None:
        standing = standing_of(attempt)
        check_list, lines, rows = standing.check_list, standing.lines, standing.rows
    else:
        check_list, rows = read_check_list(step.version.data["check_list"]), []
        lines = lines_of(check_list, [])
    context = {
        "closed": "" if attempt else _closed(place, step),
        "place": place,
        "step": step,
        "check_list": check_list,
        "lines_seen": lines,
        "needs": in_words(check_list),
        "rows": rows,
        "owes_photo": check_list.asks_photo and not any(one.photo for one in rows),
        "is_done": attempt is not None and attempt.status == "completed",
        "asked": Asked.objects.filter(attempt=attempt, settled_at=None).first() if attempt else None,
        "today": clock.today(),
        "key": request.POST.get("key") or uuid.uuid4().hex,
        "faults": faults,
        "sent": request.POST,
        "met_sent": {key: request.POST.get(f"seen-{key}", "") for key in (one.key for one in check_list.criteria)},
    }
    return render(request, "signing/sign.html", context, status=422 if faults else 200)


def _closed(place: Enrolment, step: Step) -> str:
    """Why somebody cannot begin it yet, nor have it signed off; "" where they can."""
    try:
        check_place(place)
        check_open(place, step)
    except LearningError as refusal:
        return str(refusal)
    return ""


@require_POST
def send(request: HttpRequest, enrolment: str, module: str) -> JsonResponse:
    """A sign-off as a script sends it, perhaps long after it was made; sent twice, it is one. It is told what became of it."""
    if request.POST.get("account", "") != account_of(request).public_id:
        says = "Somebody else is signed in by now. Whoever signed it off has to sign in once more, and it is sent."
        return JsonResponse({"says": says, "again": True}, status=409)
    try:
        place, step = _place(request, enrolment, module)
    except Http404:
        says = "You may not sign this off any more, or the place in the course is gone. Ask who leads them, or an administrator."
        return JsonResponse({"says": says, "faults": {}, "again": False}, status=404)
    try:
        with undoing.watched() as watched:
            made = _sign(request, place, step)
    except BadSignOff as refusal:
        return JsonResponse({"says": str(refusal), "faults": refusal.faults, "again": False}, status=422)
    except (Refusal, Unusable) as refusal:
        return JsonResponse({"says": str(refusal), "faults": {}, "again": False}, status=422)
    toasts.say(request, _said(made), act=watched.act)
    return JsonResponse({"says": _said(made), "url": reverse("signing:waiting")})


def _said(made: SignOff) -> str:
    attempt = made.attempt
    attempt.refresh_from_db(fields=["status"])
    name, title = attempt.enrolment.person.name, attempt.module.title
    if attempt.status == "completed":
        return f"“{title}” of {name} is signed off."
    return f"What you saw of “{title}” is kept for {name}. The rest can be signed off another time."


def _sign(request: HttpRequest, place: Enrolment, step: Step) -> SignOff:
    form = SignOffForm(request.POST)
    if not form.is_valid():
        raise BadSignOff({name: str(errors[0]) for name, errors in form.errors.items()})
    said = form.cleaned_data
    digest = ""
    sent = request.FILES.get("photo")
    if sent is not None and not SignOff.objects.filter(key=said["key"]).exists():
        # Made anew before the transaction, which holds the pen; where it was taken is not kept.
        digest, _, _ = own_pictures.keep_whole(sent.file or sent, sent.name or "photo", sent.size or 0)
    given = Given(
        key=said["key"],
        day=said["day"],
        met=_keys(request, "met"),
        not_yet=_keys(request, "not yet"),
        minutes=said["minutes"],
        note=said["note"],
        reason=said["reason"],
        photo=digest,
        photo_shows=said["photo_shows"],
        signature=said["signature"],
        signature_of_learner=said["signature_of_learner"],
        ago=said["ago"] or 0.0,
    )
    return sign_off(enrolment=place, step=step, given=given, by=account_of(request))


def _keys(request: HttpRequest, answer: str) -> frozenset[str]:
    """The criteria of which that was said."""
    return frozenset(
        name.removeprefix("seen-")[:20]
        for name, value in request.POST.items()
        if name.startswith("seen-") and value == answer
    )


def _seen(request: HttpRequest, public_id: str) -> SignOff:
    return get_object_or_404(sign_offs_seen(request.user), public_id=public_id)


def signed(request: HttpRequest, public_id: str) -> HttpResponse:
    """What was signed on a day, with its signatures: the proof of it."""
    found = _seen(request, public_id)
    said: dict[str, Any] = {}
    for name, drawn in (("signer", found.signature), ("learner", found.signature_of_learner)):
        said[name] = {"path": signature_path(drawn), "typed": drawn if isinstance(drawn, str) else ""}
    check_list = check_list_of(found.attempt)
    context = {
        "made": found,
        "lines_seen": lines_of(check_list, [found]),
        "signatures": said,
        "was_sent_later": found.recorded_on > day_of(found.signed_at, clock.zone()),
    }
    return render(request, "signing/signed.html", context)


def photo(request: HttpRequest, public_id: str) -> HttpResponse:
    """The photo of a sign-off, for whoever may look at it."""
    found = _seen(request, public_id)
    if not own_pictures.is_kept(found.photo):
        raise Http404
    response = HttpResponse(own_pictures.path_of(found.photo).read_bytes(), content_type="image/webp")
    response.headers["Cache-Control"] = "private, max-age=3600"
    return response


def worker(request: HttpRequest) -> HttpResponse:
    """The script that keeps the pages of sign-offs at hand without a line. Its address says which pages it is for."""
    path = finders.find("signing/js/worker.js")
    assert path, "it ships with the application"
    return HttpResponse(Path(str(path)).read_text(encoding="utf-8"), content_type="text/javascript")
