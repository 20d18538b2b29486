"""A path within a page of another site, and the page where that is allowed."""

from __future__ import annotations

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.clickjacking import xframe_options_exempt
from django.views.decorators.http import require_POST

from stepladder.accounts.organisation import organisation
from stepladder.accounts.signed_in import account_of
from stepladder.catalogue.actions import embedding
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Embedded
from stepladder.catalogue.queries import stages_in_full
from stepladder.courses.models import CourseState, Path
from stepladder.courses.paths import edition_of
from stepladder.web import toasts


def embed(request: HttpRequest, public_id: str) -> HttpResponse:
    """Whether a path is embedded, and what the other site puts into its page."""
    path = get_object_or_404(Path, public_id=public_id)
    shown = Embedded.objects.filter(path=path).first()
    if request.method == "POST":
        try:
            embedding.embed(path=path, by=account_of(request))
        except CatalogueError as refusal:
            toasts.trouble(request, str(refusal))
        return redirect("catalogue:embed", public_id=public_id)
    address = f"{settings.PUBLIC_ADDRESS}{reverse('catalogue:embedded', args=[shown.token])}" if shown else ""
    context = {"path": path, "shown": shown, "address": address, "hosts": organisation().embed_hosts}
    return render(request, "catalogue/embed.html", context)


@require_POST
def end(request: HttpRequest, public_id: str) -> HttpResponse:
    path = get_object_or_404(Path, public_id=public_id)
    embedding.end_embedding(path=path, by=account_of(request))
    toasts.say(request, f"“{path.title}” is embedded nowhere any more.")
    return redirect("catalogue:embed", public_id=public_id)


@xframe_options_exempt
def embedded(request: HttpRequest, token: str) -> HttpResponse:
    """The path as others show it. It knows nobody: who is signed in makes no difference."""
    shown = get_object_or_404(Embedded.objects.select_related("path"), token=token)
    edition = edition_of(shown.path)
    if edition is None or shown.path.state != CourseState.RELEASED:
        return render(request, "catalogue/embedded.html", {"path": None}, status=404)
    context = {
        "path": shown.path,
        "edition": edition,
        "stages": stages_in_full(edition),
        "begin": f"{settings.PUBLIC_ADDRESS}{reverse('catalogue:thing', args=[shown.path.public_id])}",
    }
    response = render(request, "catalogue/embedded.html", context)
    hosts = organisation().embed_hosts
    # Read by django-csp: the sites that are named, and what is below them; without any, nobody.
    frames = [one for host in hosts for one in (host, f"*.{host}")] or ["'none'"]
    response._csp_replace = {"frame-ancestors": frames}  # type: ignore[attr-defined]
    return response
