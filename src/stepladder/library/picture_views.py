"""Pictures of one's own: shown, and given to modules."""

from __future__ import annotations

from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect
from django.urls import reverse
from django.views.decorators.http import require_POST

from stepladder.accounts import policy
from stepladder.accounts.signed_in import account_of
from stepladder.library import actions, own_pictures
from stepladder.library.errors import LibraryError, Unusable
from stepladder.library.kinds import kind_named
from stepladder.library.models import Module
from stepladder.library.opening import still_address
from stepladder.web import toasts
from stepladder.web.margin import Panel

__all__ = ["given_picture", "keep_picture", "module_picture", "own_picture", "picture_panel"]


def own_picture(request: HttpRequest, digest: str) -> HttpResponse:
    """A picture, by the digest of its content, which nobody guesses."""
    if not own_pictures.is_kept(digest):
        raise Http404
    # Small, and of our own making: read whole.
    response = HttpResponse(own_pictures.path_of(digest).read_bytes(), content_type="image/webp")
    response.headers["Cache-Control"] = "private, max-age=31536000, immutable"
    return response


def given_picture(request: HttpRequest) -> str:
    """The digest of the picture that a form sent, "" where it takes the picture away. Raises Unusable."""
    if request.POST.get("do") == "remove":
        return ""
    sent = request.FILES.get("picture")
    if sent is None:
        raise Unusable("Choose a picture first.")
    crop = own_pictures.read_crop(request.POST.get("crop", ""))
    return own_pictures.keep_picture(sent, sent.name or "picture", sent.size or 0, crop)


@require_POST
def keep_picture(request: HttpRequest) -> JsonResponse:
    """A picture to be given to modules in the grid: the digest it is kept by, or what is wrong with it."""
    try:
        return JsonResponse({"digest": given_picture(request), "says": ""})
    except LibraryError as refusal:
        return JsonResponse({"digest": "", "says": str(refusal)})


@require_POST
def module_picture(request: HttpRequest, public_id: str) -> HttpResponse:
    """Another picture of a module, or none of its own."""
    shown = policy.visible(request.user, "see modules", Module.objects.select_related("binder"))
    module, by = get_object_or_404(shown, public_id=public_id), account_of(request)
    policy.require(by, "change modules", module)
    try:
        actions.set_picture(module=module, digest=given_picture(request), by=by)
    except LibraryError as refusal:
        toasts.trouble(request, str(refusal))
    return redirect("library:module", public_id=public_id)


def picture_panel(request: HttpRequest, module: Module) -> Panel:
    """What a module is recognised by."""
    newest = module.versions.order_by("-number").first()
    context = {
        "digest": module.picture,
        "title": module.title,
        "still": still_address(module, newest),
        "shows": kind_named(module.kind).format_of(newest.data) if newest else None,
        "action": reverse("library:module_picture", args=[module.public_id]),
        "may_change": policy.may(request.user, "change modules", module),
    }
    return Panel("Picture", "library/own_picture.html", context)
